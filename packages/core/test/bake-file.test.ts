import fc from 'fast-check';
import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import {
  type BakePlan,
  type BlockBaker,
  bakeBlock,
  bakeInOrder,
  bakerHere,
  bakeToFile,
  everyNth,
  framesWithKeys,
  keysOnFrames,
  planBake,
  rootBoneRefusal,
  shapeRoot,
} from '../src/bake/index.js';
import { putMerged } from '../src/edit/index.js';
import {
  type ByteRange,
  bvhFormat,
  csvFormat,
  glbFormat,
  joinRanges,
  type MotionFormat,
  readTake,
  writeWhole,
} from '../src/format/index.js';
import { newLines } from '../src/format/lines.js';
import {
  channelsOf,
  compileStack,
  evaluateStack,
  finished,
  keyed,
  newKey,
  newLayer,
  type Project,
  type Rig,
  restPose,
} from '../src/index.js';
import { globalMatrices } from '../src/rig/index.js';
import { emptyTrack, ofMembers, type Samples } from '../src/take/index.js';
import { anyProject } from './any-stack.js';

/** Bakes to a file in memory; tells how often it was begun. */
async function filed(format: MotionFormat, plan: BakePlan, bakers: readonly BlockBaker[]) {
  let ranges: ByteRange[] = [];
  let begun = 0;
  const sink = {
    begin: () => {
      ranges = [];
      begun++;
    },
    write: (range: ByteRange) => void ranges.push(range),
  };
  const file = await bakeToFile(format, plan, bakers, sink);
  return { bytes: joinRanges(ranges), begun, file };
}

const formatsOf = (project: Project, plan: BakePlan): MotionFormat[] => {
  const { rig, name, metresPerUnit } = project;
  const shape = { count: plan.count, interval: 1 / plan.rate };
  return [
    bvhFormat(rig, shape),
    csvFormat(rig, plan, shape.interval),
    glbFormat(rig, shape, { name, metresPerUnit }),
  ];
};

describe('a file that is written while it is baked', () => {
  it('is, byte for byte, the file of all samples at once', async () => {
    await fc.assert(
      fc.asyncProperty(anyProject, fc.constantFrom(24, 110.5), async (project, fps) => {
        const plan = planBake(project, { fps });
        const whole = bakeBlock(compileStack(project), plan, 0, plan.count);
        const bakers = [bakerHere(project, plan), bakerHere(project, plan)];
        for (const format of formatsOf(project, plan)) {
          const { bytes } = await filed(format, plan, bakers);
          expect(bytes).toEqual(writeWhole(format, whole).bytes);
        }
      }),
      { numRuns: 12 },
    );
  });

  it('is begun again where a joint moves for a moment that no look before has seen', async () => {
    const nod = [0, 1501, 1502, 1503].map((frame, k) => newKey(frame, k === 2 ? 0.2 : 0));
    const project: Project = {
      ...fc.sample(anyProject, 1)[0],
      fps: 30,
      range: [0, 3000],
    };
    const moving = {
      ...project,
      layers: [
        newLayer('Base', 'override', {}),
        newLayer('Nod', 'additive', { content: keyed({ Head: { tx: { keys: nod } } }) }),
      ],
    };
    const plan = planBake(moving, {});
    const [bvh] = formatsOf(moving, plan);
    const { bytes, begun, file } = await filed(bvh, plan, [bakerHere(moving, plan)]);
    expect(begun).toBe(2);
    const { take } = readTake('nod.bvh', bytes);
    const head = take.rig.joints.findIndex(({ name }) => name === 'Head');
    expect(take.rig.joints[head].channels).toContain('Xposition');
    expect(file.rig!().joints).toEqual(take.rig.joints);
    const entry = [...take.translations.joints].indexOf(head);
    const x = (s: number) => take.translations.values[3 * (s * take.translations.joints.length + entry)];
    expect(x(1502) - x(1500)).toBeCloseTo(0.2, 5);
    expect(take.count).toBe(3001);
  });

  it('never holds more than two parts of each worker, however late the first one is', async () => {
    const project = fc.sample(anyProject, 1)[0];
    const plan = { ...planBake(project, {}), count: 4000 };
    const here = bakerHere(project, plan);
    let out = 0;
    let most = 0;
    let release = () => {};
    const late = new Promise<void>((resolve) => {
      release = resolve;
    });
    const baker: BlockBaker = async (from, to) => {
      most = Math.max(most, ++out);
      if (from === 0) await late;
      return here(from, to);
    };
    const order: number[] = [];
    const job = bakeInOrder(plan, [baker, baker], (part, from) => {
      out--;
      order.push(from, from + part.count);
    });
    // The others come to rest, since the first part is missing.
    for (let turns = 0; turns < 200; turns++) await new Promise((resolve) => setTimeout(resolve));
    expect(order).toEqual([]);
    release();
    await job;
    expect(most).toBeLessThanOrEqual(4);
    expect(order[0]).toBe(0);
    expect(order.at(-1)).toBe(4000);
    for (let k = 2; k < order.length; k += 2) expect(order[k]).toBe(order[k - 1]);
  });

  it('has numbers of six decimals, the nearest to what they are', () => {
    const value = fc.oneof(
      fc.double({ min: -1e9, max: 1e9, noNaN: true }),
      fc.double({ min: -2e-6, max: 2e-6, noNaN: true }),
      fc.integer({ min: -5, max: 5 }),
      fc.double({ noNaN: true, noDefaultInfinity: true }),
    );
    fc.assert(
      fc.property(fc.array(value, { minLength: 1 }), (values) => {
        const lines = newLines();
        lines.line(2 * values.length);
        for (const one of values) {
          lines.number(one, 0x20);
          lines.number(one, 0x0a, true);
        }
        const text = new TextDecoder().decode(joinRanges(lines.ranges()));
        for (const [k, row] of text.trimEnd().split('\n').entries()) {
          const [plain, trimmed] = row.split(' ');
          // Half a millionth, and what a number of that size cannot tell.
          const near = 0.5e-6 + Math.abs(values[k]) * 2 ** -52;
          expect(Math.abs(Number(plain) - values[k])).toBeLessThanOrEqual(near);
          expect(Number(trimmed)).toBeCloseTo(Number(plain), 6);
          if (Math.abs(values[k]) < 1e9) {
            expect(plain).toMatch(/^-?\d+\.\d{6}$/);
            expect(trimmed).toMatch(/^-?\d+(\.\d*[1-9])?$/);
            expect(plain).not.toBe('-0.000000');
          }
        }
      }),
    );
  });
});

/** A rig whose root stands on the floor and carries the hips. */
const carried: Rig = {
  joints: (
    [
      ['Root', -1, [0, 0, 0]],
      ['Hips', 0, [0, 1, 0.1]],
      ['Leg', 1, [0.1, -0.1, 0]],
      ['Chest', 1, [0, 0.4, 0]],
    ] as const
  ).map(([name, parent, translation]) => ({
    name,
    parent,
    translation,
    rotation: [0, 0, 0, 1] as const,
    scale: [1, 1, 1] as const,
    order: 'ZYX' as const,
    ends: [],
    channels: [],
  })),
};

/** Random turns and places of every joint. */
function drawnSamples(rig: Rig, seeds: readonly number[]): Samples {
  const n = rig.joints.length;
  const joints = Int32Array.from({ length: n }, (_, j) => j);
  const count = seeds.length / (7 * n);
  const at = (s: number, j: number, c: number) => seeds[7 * (s * n + j) + c];
  const fill = (size: 3 | 4, value: (s: number, j: number) => readonly number[]) => {
    const values = new Float64Array(size * n * count);
    for (let s = 0; s < count; s++) for (let j = 0; j < n; j++) values.set(value(s, j), size * (s * n + j));
    return { joints, size, values };
  };
  return {
    count,
    interval: 1 / 30,
    translations: fill(3, (s, j) => [at(s, j, 0), at(s, j, 1), at(s, j, 2)]),
    rotations: fill(4, (s, j) => {
      const turn = new THREE.Quaternion(at(s, j, 3), at(s, j, 4), at(s, j, 5), 1.2 + at(s, j, 6)).normalize();
      return turn.toArray() as number[];
    }),
    scales: fill(3, (_, j) => (j === 0 ? [1.1, 1.1, 1.1] : [1, 1, 1])),
    faces: emptyTrack(1),
  };
}

describe('a root on the floor', () => {
  it('leaves every other joint where it is, and turns about the vertical alone', () => {
    const numbers = fc.array(fc.double({ min: -1, max: 1, noNaN: true }), { minLength: 84, maxLength: 84 });
    fc.assert(
      fc.property(numbers, fc.boolean(), (seeds, onTheSpot) => {
        const samples = drawnSamples(carried, seeds);
        const whole = shapeRoot(carried, { travels: 'root', onTheSpot })(samples);
        // In parts it is the same: what comes first is remembered.
        const shape = shapeRoot(carried, { travels: 'root', onTheSpot });
        const [first, second] = [0, 1].map((k) => shape(partOf(samples, k === 0 ? 0 : 1, k === 0 ? 1 : 3)));
        expect([...first.translations.values, ...second.translations.values]).toEqual([
          ...whole.translations.values,
        ]);
        for (let s = 0; s < samples.count; s++) {
          const before = matricesOf(samples, s);
          const after = matricesOf(whole, s);
          const root = new THREE.Matrix4().fromArray(after, 0);
          expect(root.elements[13]).toBe(0);
          expect(root.elements[5]).toBeCloseTo(1.1, 9);
          // On the spot everything is moved as the root is, level.
          const shift = onTheSpot
            ? [after[12] - shapedRoot(samples, s)[0], 0, after[14] - shapedRoot(samples, s)[1]]
            : [0, 0, 0];
          for (let j = 1; j < 4; j++)
            for (let e = 0; e < 16; e++)
              expect(after[16 * j + e]).toBeCloseTo(
                before[16 * j + e] + (e > 11 && e < 15 ? shift[e - 12] : 0),
                9,
              );
        }
      }),
      { numRuns: 60 },
    );
  });

  it('is still where the hips travel, on the spot too, under whatever the root carries beside them', () => {
    const deep: Rig = {
      joints: [
        { ...carried.joints[0], translation: [0.3, 0, -0.2], rotation: [0, 0.6, 0, 0.8] },
        { ...carried.joints[1], name: 'Helper', translation: [1, 0, 0] },
        { ...carried.joints[1], name: 'Frame', translation: [0, 0.2, 0] },
        { ...carried.joints[1], parent: 2 },
        ...['LeftUpLeg', 'RightUpLeg', 'Spine'].map((name) => ({ ...carried.joints[2], name, parent: 3 })),
      ],
    };
    expect(rootBoneRefusal(deep)).toBeUndefined();
    const numbers = fc.array(fc.double({ min: -1, max: 1, noNaN: true }), { minLength: 147, maxLength: 147 });
    fc.assert(
      fc.property(numbers, fc.boolean(), (seeds, onTheSpot) => {
        const samples = drawnSamples(deep, seeds);
        const [floor, still] = (['root', 'hips'] as const).map((travels) =>
          shapeRoot(deep, { travels, onTheSpot })(samples),
        );
        for (let s = 0; s < samples.count; s++) {
          const [before, onFloor, after] = [samples, floor, still].map((one) => matricesOf(one, s, deep));
          expect(onFloor[13]).toBe(0);
          expect(onFloor[5]).toBeCloseTo(1.1, 9);
          const { translation, rotation } = deep.joints[0];
          expect([...still.translations.values.subarray(21 * s, 21 * s + 3)]).toEqual(translation);
          expect([...still.rotations.values.subarray(28 * s, 28 * s + 4)]).toEqual(rotation);
          for (let j = 1; j < 7; j++)
            for (let e = 0; e < 16; e++) {
              // On the spot both are moved alike, and otherwise not at all.
              expect(after[16 * j + e]).toBeCloseTo(onFloor[16 * j + e], 9);
              if (!onTheSpot) expect(after[16 * j + e]).toBeCloseTo(before[16 * j + e], 9);
            }
        }
      }),
      { numRuns: 40 },
    );
  });

  it('is refused where the root carries the body itself', () => {
    expect(rootBoneRefusal(carried)).toBeUndefined();
    const legged = {
      joints: carried.joints.slice(1).map((joint) => ({ ...joint, parent: joint.parent - 1 })),
    };
    expect(rootBoneRefusal(legged)).toMatch(/^Hips is the root and carries the body itself/);
  });
});

const shapedRoot = (samples: Samples, s: number): [number, number] => {
  const { values } = shapeRoot(carried, { travels: 'root' })(samples).translations;
  return [values[3 * 4 * s], values[3 * 4 * s + 2]];
};

const partOf = (samples: Samples, from: number, to: number): Samples => {
  const cut = <T extends Samples['translations']>(track: T): T => ({
    ...track,
    values: track.values.slice(from * track.size * 4, to * track.size * 4),
  });
  return {
    ...samples,
    count: to - from,
    translations: cut(samples.translations),
    rotations: cut(samples.rotations),
    scales: cut(samples.scales),
  };
};

function matricesOf(samples: Samples, s: number, rig = carried): Float64Array {
  const pose = restPose(rig);
  for (const kind of ['translations', 'rotations', 'scales'] as const) {
    const row = samples[kind].size * rig.joints.length;
    pose[kind].set(samples[kind].values.subarray(s * row, (s + 1) * row));
  }
  return globalMatrices(rig, pose, new Float64Array(16 * rig.joints.length));
}

describe('keys on some frames', () => {
  it('hold on these frames what is seen there, as a base in the place of all layers', () => {
    fc.assert(
      fc.property(anyProject, fc.integer({ min: 1, max: 7 }), fc.boolean(), (project, n, keyedOnes) => {
        const frames = keyedOnes ? framesWithKeys(project, project.range) : everyNth(project.range, n);
        expect(frames[0]).toBe(0);
        expect(frames.at(-1)).toBe(30);
        const channels = finished(keysOnFrames(project, { frames }));
        const after = putMerged(
          project,
          { from: 0, to: project.layers.length - 1, kind: 'base', solo: false, group: undefined },
          { content: keyed(channels) },
        );
        for (const curves of Object.values(channelsOf(after.layers[0])))
          for (const curve of Object.values(curves!))
            expect(curve!.keys.map(({ frame }) => frame)).toEqual(frames);
        for (const frame of frames) {
          const [was, is] = [project, after].map((one) => {
            const pose = restPose(one.rig);
            evaluateStack(compileStack(one), frame, pose);
            return globalMatrices(one.rig, pose, new Float64Array(16 * one.rig.joints.length));
          });
          for (const [e, value] of was.entries()) expect(Math.abs(is[e] - value)).toBeLessThan(1e-5);
        }
      }),
      { numRuns: 40 },
    );
  });

  it('are those of some joints where these are asked for, and turns between them are counted', () => {
    const { rig, parts, ...rest } = fc.sample(anyProject, 1)[0];
    const turning = [0, 10, 20, 30].map((frame, k) => newKey(frame, 350 * k, 'linear'));
    const project: Project = {
      ...rest,
      rig,
      parts,
      layers: [
        newLayer('Base', 'override', {
          content: keyed({ Head: { ry: { keys: turning } }, Neck: { rx: { keys: [newKey(3, 5)] } } }),
        }),
      ],
    };
    const head = rig.joints.findIndex(({ name }) => name === 'Head');
    const channels = finished(keysOnFrames(project, { frames: [0, 30], joints: new Set([head]) }));
    expect(Object.keys(channels)).toEqual(['Head']);
    const spun = ['rx', 'ry', 'rz'].map((axis) => {
      const { keys } = channels.Head[axis as 'rx']!;
      return Math.abs(keys[1].value - keys[0].value);
    });
    // 1050 degrees: nearly three turns, whichever axes they are written about.
    expect(Math.max(...spun)).toBeGreaterThan(700);
    expect(framesWithKeys(project, [2, 25])).toEqual([2, 3, 10, 20, 25]);
  });
});

describe('samples of some joints', () => {
  it('are their columns', () => {
    const samples = drawnSamples(
      carried,
      Array.from({ length: 84 }, (_, i) => Math.sin(i)),
    );
    const { rotations, translations } = ofMembers(samples, carried.joints, new Set([1, 3]));
    expect([...rotations.joints]).toEqual([1, 3]);
    for (let s = 0; s < 3; s++)
      for (const [k, j] of [1, 3].entries()) {
        const own = rotations.values.slice(4 * (2 * s + k), 4 * (2 * s + k + 1));
        expect(own).toEqual(samples.rotations.values.slice(4 * (4 * s + j), 4 * (4 * s + j + 1)));
        expect(translations.values[3 * (2 * s + k)]).toBe(samples.translations.values[3 * (4 * s + j)]);
      }
  });
});
