import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import { bake } from '../src/bake/index.js';
import { projectFromTake } from '../src/edit/index.js';
import { type BvhFile, bvhText, FileError, readBvh, readTake } from '../src/format/index.js';
import { compileStack, evaluateStack, restPose } from '../src/index.js';
import { globalMatrices, rigHeight } from '../src/rig/index.js';
import { assimpReader, CAPTURE, captureBytes, threeReader } from './capture.js';

const bytesOf = (text: string) => new TextEncoder().encode(text);

const SMALL = `HIERARCHY
ROOT Hips
{
  OFFSET 0 0 0
  CHANNELS 6 Xposition Yposition Zposition Zrotation Yrotation Xrotation
  JOINT Chest
  {
    OFFSET 0 2 0
    CHANNELS 3 zrotation XROTATION Yrotation
    End Site
    {
      OFFSET 0 1 0
    }
  }
}
MOTION
Frames: 2
Frame Time: 0.04
0 1 0 0 0 0 0 0 0
0 1 1 10 20 30 40 50 60
`;

const fails = (text: string | Uint8Array): FileError => {
  try {
    readBvh(typeof text === 'string' ? bytesOf(text) : text);
  } catch (error) {
    expect(error).toBeInstanceOf(FileError);
    return error as FileError;
  }
  throw new Error('it was read');
};

describe('reading the capture', () => {
  let file: BvhFile;
  beforeAll(() => {
    file = readBvh(captureBytes());
  });

  it.each([
    [
      "three's BVHLoader",
      () => {
        const read = threeReader(new TextDecoder().decode(captureBytes()));
        return (k: number) => read(k * 0.0083333);
      },
    ],
    ["Debian's assimp", () => assimpReader(CAPTURE)],
  ] as const)('gives the joint positions of %s', (_, open) => {
    const reference = open();
    const { take } = readTake('01_01.bvh', captureBytes());
    const project = projectFromTake(take);
    const stack = compileStack(project);
    const pose = restPose(take.rig);
    const matrices = new Float64Array(16 * take.rig.joints.length);
    const limit = 1e-4 * rigHeight(take.rig);
    for (let k = 0; k < take.count; k += 97) {
      evaluateStack(stack, k, pose);
      globalMatrices(take.rig, pose, matrices);
      const wanted = reference(k);
      for (const [j, joint] of take.rig.joints.entries()) {
        const position = wanted.get(joint.name)!;
        const at = matrices.subarray(16 * j + 12, 16 * j + 15);
        expect(Math.hypot(at[0] - position.x, at[1] - position.y, at[2] - position.z)).toBeLessThan(limit);
      }
    }
  });

  it('comes back as it went in', async () => {
    const { take } = readTake('01_01.bvh', captureBytes());
    const baked = await bake(projectFromTake(take));
    const text = bvhText(take.rig, baked);
    const original = new TextDecoder().decode(captureBytes());
    const words = (source: string) => source.slice(0, source.indexOf('MOTION')).split(/\s+/);
    const same = words(original).map((word, i) => {
      const other = words(text)[i];
      return word === other || Number(word) === Number(other);
    });
    expect(same.every(Boolean)).toBe(true);
    const again = readBvh(bytesOf(text));
    expect(again.samples.interval).toBe(0.0083333);
    expect(again.samples.count).toBe(2752);
    let worst = 0;
    const before = file.samples.rotations.values;
    for (let i = 0; i < before.length; i += 4) {
      const dot = [0, 1, 2, 3].reduce(
        (sum, c) => sum + before[i + c] * again.samples.rotations.values[i + c],
        0,
      );
      worst = Math.max(worst, 1 - Math.abs(dot));
    }
    expect(worst).toBeLessThan(1e-13);
    const moved = again.samples.translations.values.map((value, i) =>
      Math.abs(value - file.samples.translations.values[i]),
    );
    expect(Math.max(...moved)).toBeLessThan(1e-6);
  });
});

describe('what readers differ in', () => {
  it('takes channels in any case and order, a byte-order mark, CRLF and tabs', () => {
    const plain = readBvh(bytesOf(SMALL));
    const odd = readBvh(bytesOf(`\uFEFF${SMALL.replaceAll('\n', '\r\n').replaceAll(' ', '\t')}`));
    expect(odd.samples.rotations.values).toEqual(plain.samples.rotations.values);
    expect(plain.rig.joints.map((joint) => joint.order)).toEqual(['ZYX', 'ZXY']);
    expect(plain.rig.joints[1].ends).toEqual([[0, 1, 0]]);
    expect(plain.warnings).toEqual([]);
  });

  it('lets position channels replace the offset, unless they stand at zero while the offset is long', () => {
    const withPositions = (value: string) =>
      SMALL.replace('CHANNELS 3 zrotation', 'CHANNELS 6 Xposition Yposition Zposition zrotation')
        .replace('0 0 0 0 0 0\n', `0 0 0 0 0 0 ${value} 0 0\n`)
        .replace('40 50 60', '0 0 0 40 50 60');
    const chest = (text: string) => readBvh(bytesOf(text)).samples.translations.values.slice(3, 6);
    expect([...chest(withPositions('0'))]).toEqual([0, 2, 0]);
    // The first row's last three values are the chest's rotation: 0.5 there is its rotation, not its place.
    const replaced = withPositions('0').replace('0 0 0 40 50 60', '0.5 3 0 40 50 60');
    const values = readBvh(bytesOf(replaced)).samples.translations.values;
    expect([...values.slice(9, 12)]).toEqual([0.5, 3, 0]);
    expect([...values.slice(3, 6)]).toEqual([0, 0, 0]);
  });

  it('reads files of many pieces as their rows say, wherever these end, whatever number of them is promised and however they are blank', () => {
    // Rows of many lengths, three megabytes of them; the head of one is longer than a piece itself.
    const rows = Array.from({ length: 60_000 }, (_, k) =>
      [0.5 * k, 1, -k, k % 360, 0, 0, 0, 0, (k * 7) % 90].map((value) => value.toFixed(k % 7)).join(' '),
    );
    const head = SMALL.slice(0, SMALL.indexOf('0 1 0 0'));
    const far = `${' '.repeat(1_200_000)}\n${head}`;
    for (const [text, promised] of [
      [head + rows.join('\n'), 60_000],
      [head + rows.join('\r\n'), 3],
      [far + rows.join('\n'), 1e9],
      // A blank that is no ASCII, in the last row alone.
      [`${head}${rows.slice(0, -1).join('\n')}\n${rows[59_999].replaceAll(' ', '\u00a0')}`, 59_000],
    ] as const) {
      const { samples } = readBvh(bytesOf(text.replace('Frames: 2', `Frames: ${promised}`)));
      expect(samples.count).toBe(60_000);
      expect(samples.translations.values).toHaveLength(3 * 60_000);
      for (const k of [0, 255, 256, 31_415, 59_999]) {
        const said = rows[k].split(' ').map(Number);
        expect([...samples.translations.values.slice(3 * k, 3 * k + 3)]).toEqual(
          said.slice(0, 3).map((value) => value + 0),
        );
        // Of the chest, a turn about one axis.
        expect(samples.rotations.values[8 * k + 7]).toBeCloseTo(Math.cos((said[8] * Math.PI) / 360), 12);
      }
    }
    const wrong = (row: number, as: string) =>
      fails(head + rows.map((line, k) => (k === row ? as : line)).join('\n'));
    const first = head.split('\n').length;
    for (const row of [0, 256, 45_678]) {
      expect(wrong(row, '1 2 3').message).toContain(`line ${first + row}: 3 values, expected 9`);
      expect(wrong(row, `${rows[row]} 4`).message).toContain(`line ${first + row}: more than 9 values`);
    }
  });

  it('counts the rows that are there and names both numbers', () => {
    const { samples, warnings } = readBvh(bytesOf(SMALL.replace('Frames: 2', 'Frames: 7')));
    expect(samples.count).toBe(2);
    expect(warnings).toEqual([expect.stringMatching(/7.*2/)]);
  });

  it('reads numbers exactly as the language does', () => {
    fc.assert(
      fc.property(
        fc.double({ noNaN: true, noDefaultInfinity: true, min: -1e6, max: 1e6 }),
        fc.nat(12),
        (value, digits) => {
          for (const text of [String(value), value.toFixed(digits)]) {
            const read = readBvh(bytesOf(SMALL.replace('0 1 1 10', `0 1 ${text} 10`)));
            expect(read.samples.translations.values[5] + 0).toBe(Number(text) + 0);
          }
        },
      ),
    );
  });
});

describe('a bad file', () => {
  it.each([
    ['another format', 'glTF is not this', 'line 1'],
    ['too few values', SMALL.replace(' 40 50 60', ' 40 50'), 'line 20'],
    ['too many values', SMALL.replace(' 40 50 60', ' 40 50 60 70'), 'line 20'],
    ['NaN', SMALL.replace(' 40 50 60', ' 40 NaN 60'), 'line 20'],
    ['hexadecimal', SMALL.replace(' 40 50 60', ' 40 0x10 60'), 'line 20'],
    ['overflow', SMALL.replace(' 40 50 60', ' 40 1e999 60'), 'line 20'],
    ['two joints of one name', SMALL.replace('JOINT Chest', 'JOINT Hips'), 'line 6'],
    ['no MOTION', SMALL.slice(0, SMALL.indexOf('MOTION')), 'line 16'],
    ['no rows', SMALL.slice(0, SMALL.indexOf('0 1 0 0')), 'line 18'],
    ['cut off in the hierarchy', SMALL.slice(0, 150), 'line 9'],
    ['an unknown channel', SMALL.replace('XROTATION', 'Wrotation'), 'line 9'],
    ['a frame time of 0', SMALL.replace('0.04', '0'), 'line 18'],
  ])('%s: the line is named', (_, text, where) => {
    expect(fails(text).where).toBe(where);
  });

  it('binary is refused as such', () => {
    expect(fails(new Uint8Array([0x67, 0, 1, 2])).message).toMatch(/binary/);
  });
});
