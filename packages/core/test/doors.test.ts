import { strToU8, zipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import { bakeBlock } from '../src/bake/index.js';
import { projectFromCharacter, projectFromTake } from '../src/edit/index.js';
import {
  FileError,
  joinGlb,
  readAnyTake,
  readCharacter,
  readProject,
  readStack,
  stackText,
  writeOnCharacter,
} from '../src/format/index.js';
import { compileStack, evaluateStack, restPose } from '../src/index.js';
import { threePlayer } from './capture.js';
import { doors, inputOf } from './fuzz/doors.js';

const all = await doors();
const { bvh, project } = all;
const text = (bytes: Uint8Array): string => new TextDecoder().decode(bytes);
const json = (value: unknown): Uint8Array => strToU8(JSON.stringify(value));

const valid = text(bvh.files[0]);
const inBvh = (from: string | RegExp, to: string): Uint8Array => strToU8(valid.replace(from, to));
const chain = (joints: number): Uint8Array =>
  strToU8(
    `HIERARCHY\nROOT j\n{\nOFFSET 0 0 0\nCHANNELS 3 Xrotation Yrotation Zrotation\n${Array.from({ length: joints - 1 }, (_, k) => `JOINT j${k}\n{\nOFFSET 0 1 0\nCHANNELS 0\n`).join('')}${'}\n'.repeat(joints)}MOTION\nFrames: 1\nFrame Time: 0.1\n0 0 0\n`,
  );

/** A glTF file in JSON alone, and the same as a GLB with floats in its binary chunk. */
const asset = { version: '2.0' };
const nodes = (count: number, more: object = {}) =>
  Array.from({ length: count }, (_, n) => ({
    name: 'a',
    ...(n + 1 < count && { children: [n + 1] }),
    ...more,
  }));
const glbOf = (file: object, floats: readonly number[] = []): Uint8Array => {
  const bin = new Uint8Array(Float32Array.from(floats).buffer);
  const buffers = floats.length > 0 ? { buffers: [{ byteLength: bin.length }] } : {};
  return joinGlb({ json: JSON.stringify({ asset, ...buffers, ...file }), bin, others: [] });
};
/** One node that turns: a quaternion at each of some times. */
const swing = (times: readonly number[], more: object = {}) => {
  const turns = times.flatMap((_, k) => [0, Math.sin(k), 0, Math.cos(k)]);
  return glbOf(
    {
      nodes: [{ name: 'a' }],
      animations: [
        {
          channels: [{ sampler: 0, target: { node: 0, path: 'rotation' } }],
          samplers: [{ input: 0, output: 1 }],
        },
      ],
      bufferViews: [
        { buffer: 0, byteLength: 4 * times.length },
        { buffer: 0, byteOffset: 4 * times.length, byteLength: 16 * times.length },
      ],
      accessors: [
        { bufferView: 0, componentType: 5126, count: times.length, type: 'SCALAR' },
        { bufferView: 1, componentType: 5126, count: times.length, type: 'VEC4' },
      ],
      ...more,
    },
    [...times, ...turns],
  );
};

const still = { format: 'evlay-stack', version: 1, fps: 30, range: [0, 5] };
const base = { name: 'Base', take: { file: 'walk.bvh' } };
const curve = (keys: unknown) => ({ name: 'L', mode: 'additive', channels: { Head: { rx: { keys } } } });
const stackOf = (...layers: object[]) => json({ ...still, layers: [base, ...layers] });

/** Files that are large, deep or false, and what is said of them; nothing where they are read. */
const BOMBS: readonly [name: string, door: string, file: () => Uint8Array, said?: RegExp][] = [
  [
    '20,000 joints within each other',
    'bvh',
    () => chain(20_000),
    /line \d+: 4,097 joints, up to 4,096 are read/,
  ],
  ['4,000 joints within each other', 'bvh', () => chain(4000)],
  [
    'a number of 200,000 digits',
    'bvh',
    () => inBvh(/0\.9 0\n/, `${'1'.repeat(200_000)}x 0\n`),
    /line 4: "1{79}…"/,
  ],
  [
    'a value of 50,000 digits',
    'bvh',
    () => inBvh(/\n0\.00/, `\n${'1'.repeat(50_000)}x`),
    /line \d+: "1{79}…" as value 1/,
  ],
  [
    'a name of 100,000 spaces',
    'bvh',
    () => inBvh('Head', `a${' '.repeat(100_000)}b`),
    /100,002 characters in a name/,
  ],
  [
    'an angle of 1e18',
    'bvh',
    () => inBvh(/\n0\.00/, '\n1e18'),
    /"1e18" as value 1, expected a finite number/,
  ],
  [
    'a frame time of 1e-320',
    'bvh',
    () => inBvh('0.0333333', '1e-320'),
    /frame time 1e-320, expected seconds/,
  ],
  [
    'a byte-order mark and a line separator inside',
    'bvh',
    () => inBvh('OFFSET 0 0.2', 'OFFSET\ufeff 0\u2028 0.2'),
  ],
  [
    'a chain of 10,000 nodes',
    'character',
    () => glbOf({ nodes: nodes(10_000) }),
    /10,000 joints, up to 4,096/,
  ],
  ['70,000 nodes', 'character', () => glbOf({ nodes: nodes(70_000) }), /70,000 nodes, up to 65,536/],
  ['4,000 nodes of one name', 'character', () => glbOf({ nodes: nodes(4000) })],
  [
    '60,000 nodes above a skin',
    'character',
    () => glbOf({ nodes: nodes(60_000), skins: [{ joints: [59_999] }], meshes: [] }),
  ],
  [
    '60,000 pictures',
    'gltf',
    () => json({ asset, nodes: [{}], images: Array.from({ length: 60_000 }, () => ({ uri: 'data:,x' })) }),
  ],
  [
    'a picture of 20 MB in a text',
    'gltf',
    () => json({ asset, nodes: [{}], images: [{ uri: `data:;base64,${'A'.repeat(20_000_000)}` }] }),
  ],
  [
    'a broken % in a name',
    'gltf',
    () => json({ asset, nodes: [{}], images: [{ uri: '%zz.png' }, { uri: 'data:text/plain,%zz' }] }),
  ],
  [
    '200,000 children',
    'character',
    () => glbOf({ nodes: [{ children: Array.from({ length: 200_000 }, (_, k) => k) }] }),
    /nodes\[0\]\.children/,
  ],
  [
    'an accessor of 3e8 numbers without a view',
    'glb',
    () =>
      swing([0, 1], {
        accessors: [
          { componentType: 5126, count: 3e8, type: 'SCALAR' },
          { componentType: 5126, count: 2, type: 'VEC4' },
        ],
      }),
    /accessors\[0\]: 300,000,000 numbers, up to/,
  ],
  ['key times of 0, 0.001 and 10,000 s', 'glb', () => swing([0, 0.001, 10_000])],
  [
    'key times of 0, 0.001 and 300,000 s',
    'glb',
    () => swing([0, 0.001, 300_000]),
    /18,000,001 samples of 1 animated properties, up to 1,000,000/,
  ],
  [
    'key times that fall',
    'glb',
    () => swing([0, 2, 1]),
    /accessors\[0\]: time 2 is 1 after 2, expected rising times/,
  ],
  [
    'key times that repeat',
    'glb',
    () => swing([0, 1, 1]),
    /accessors\[0\]: time 2 is 1 after 1, expected rising times/,
  ],
  [
    'a key time that is no number',
    'glb',
    () => swing([0, Number.NaN]),
    /accessors\[0\]: number 1 is NaN, expected finite numbers/,
  ],
  ['an array that is text', 'glb', () => swing([0, 1], { bufferViews: 'x' }), /bufferViews: expected array/],
  [
    '200 MB of blanks',
    'project',
    () => zipSync({ 'stack.json': new Uint8Array(200_000_000).fill(32) }, { level: 1 }),
    /the zip unpacks to 191 MB, up to 64 MB are read/,
  ],
  [
    '50 MB of blanks',
    'project',
    () => zipSync({ 'stack.json': new Uint8Array(50_000_000).fill(32) }, { level: 1 }),
    /50,000,000 blanks between two values, up to 1,000,000/,
  ],
  [
    'half a million keys',
    'stack',
    () => stackOf(curve(Array.from({ length: 500_000 }, (_, k) => [k, 0]))),
    /the stack: 500,000 keys, up to 400,000/,
  ],
  [
    '300,000 wrong keys',
    'stack',
    () => stackOf(curve(Array.from({ length: 300_000 }, () => 0))),
    /layers\[1\]\.channels\.Head\.rx\.keys\[0\]: expected \[frame/,
  ],
  [
    'lists nested 100,000 deep',
    'stack',
    () => strToU8('['.repeat(100_000)),
    /129 lists and objects within each other, up to 128/,
  ],
  [
    'a name of 5 MB',
    'stack',
    () => json({ ...still, layers: [{ ...base, take: { file: 'x'.repeat(5_000_000) } }] }),
    /take\.file: expected a name of up to 1000 characters/,
  ],
  [
    'a scale key of 1.7e308',
    'stack',
    () => stackOf({ name: 'L', channels: { Head: { sx: { keys: [[0, 1.7e308]] } } } }),
    /keys\[0\]/,
  ],
  [
    'a scale key of -1e15',
    'stack',
    () => stackOf({ name: 'L', mode: 'additive', channels: { Head: { sx: { keys: [[0, -1e15]] } } } }),
  ],
];

describe('large, deep and false files', () => {
  it.each(BOMBS)('%s (%s)', async (_, door, file, said) => {
    const entered = all[door].enter(file());
    if (!said) return entered;
    const error = await entered.then(
      () => undefined,
      (reason: unknown) => reason,
    );
    expect(error).toBeInstanceOf(FileError);
    expect((error as FileError).message).toMatch(said);
    expect((error as FileError).message.length).toBeLessThan(300);
  });

  it('a .glb that is baked onto is refused where it is nested too deep, and of two lists of a name has the last', async () => {
    const deep = joinGlb({
      json: `{"asset":{"version":"2.0"},"nodes":[{}],"extras":${'['.repeat(100_000)}${']'.repeat(100_000)}}`,
      bin: new Uint8Array(0),
      others: [],
    });
    const { rig } = await readCharacter('x.glb', glbOf({ nodes: [{}] }));
    const still = bakeBlock(
      compileStack(projectFromCharacter({ ...(await readCharacter('x.glb', glbOf({ nodes: [{}] }))) })),
      { first: 0, step: 1, count: 1, rate: 1 },
      0,
      1,
    );
    expect(() => writeOnCharacter(deep, rig, still, 'x')).toThrow(/129 lists and objects/);
    const twice = joinGlb({
      json: '{"asset":{"version":"2.0"},"animations":[],"nodes":[{"name":"a"}],"scenes":[{"nodes":[0]}],"scene":0,"animations":[]}',
      bin: new Uint8Array(0),
      others: [],
    });
    const baked = writeOnCharacter(twice, rig, still, 'turn');
    await expect(threePlayer(baked)).resolves.toBeTypeOf('function');
    expect((await readCharacter('x.glb', baked)).takes.map(({ name }) => name)).toEqual(['turn']);
  });

  it('every flipped bit of a project is noticed, or changes nothing', async () => {
    const [file] = project.files;
    const asText = async (bytes: Uint8Array) => {
      const read = await readProject(bytes, 'x.evlay');
      const shape = { ...read.project, layers: read.project.layers.map(({ id: _, ...layer }) => layer) };
      return JSON.stringify(shape, (name, value) =>
        name === 'id' || name === 'source' || name === 'take' ? undefined : value,
      );
    };
    const right = await asText(file);
    let opened = 0;
    for (let k = 0; k < 1500; k++) {
      const bytes = file.slice();
      bytes[Math.floor((k * file.length) / 1500)] ^= 1 << (k % 8);
      try {
        expect(await asText(bytes)).toBe(right);
        opened++;
      } catch (error) {
        expect(error).toBeInstanceOf(FileError);
      }
    }
    expect(opened).toBeLessThan(150);
  });

  it('joints and parts called as what every object has are joints and parts like others', async () => {
    const named = inBvh('Head', '__proto__');
    const file = strToU8(text(named).replace('Spine', 'constructor'));
    const layer = (joint: string, part: string) =>
      `{"name":"${joint}","mask":{"${part}":0.5},"joints":{"${joint}":0.5},"channels":{"${joint}":{"rx":{"keys":[[0,40]]}}}}`;
    const read = async (stack: string) =>
      (await readStack(strToU8(stack), 'x', () => ({ bytes: file }))).project;
    const first = await read(
      `{"format":"evlay-stack","version":1,"fps":30,"range":[0,5],"parts":{"__proto__":["__proto__"],"toString":["constructor"]},"layers":[{"name":"Base","take":{"file":"walk.bvh"}},${layer('__proto__', '__proto__')},${layer('constructor', 'toString')}]}`,
    );
    const again = await read(stackText(first, () => 'walk.bvh'));
    const plain = projectFromTake((await readAnyTake('walk.bvh', file)).take);
    const [before, one, two] = [plain, first, again].map((project) => {
      const pose = restPose(project.rig);
      evaluateStack(compileStack(project), 0, pose);
      return [...pose.rotations];
    });
    expect(two).toEqual(one);
    for (const j of [1, 2]) expect(one.slice(4 * j, 4 * j + 4)).not.toEqual(before.slice(4 * j, 4 * j + 4));
  });
});

describe('damaged files', () => {
  it.each(Object.keys(all))('%s: 900 of them end in a typed error or a valid result', async (name) => {
    for (const file of all[name].files) await all[name].enter(file);
    let refused = 0;
    for (let k = 0; k < 900; k++) {
      try {
        await all[name].enter(inputOf(all[name], 20261126, k));
      } catch (error) {
        refused++;
        if (!(error instanceof FileError)) throw new Error(`${name} ${k}: ${(error as Error).stack}`);
        expect(error.message).toMatch(/^\S.*$/);
        expect(error.message.length).toBeLessThan(700);
      }
    }
    expect(refused).toBeGreaterThan(450);
  });
});
