import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Document, NodeIO } from '@gltf-transform/core';
import {
  EXTMeshoptCompression,
  KHRDracoMeshCompression,
  KHRMeshQuantization,
} from '@gltf-transform/extensions';
import draco from 'draco3dgltf';
import { MeshoptDecoder } from 'meshoptimizer/decoder';
import { MeshoptEncoder } from 'meshoptimizer/encoder';
import { beforeAll, describe, expect, it } from 'vitest';
import { random } from '../bench/subject.js';
import { bake } from '../src/bake/index.js';
import { projectFromCharacter } from '../src/edit/index.js';
import { FileError, readCharacter, splitGlb, writeOnCharacter } from '../src/format/index.js';

/** A tail of so many joints with a surface around it, which sways for two seconds. */
function tail(joints: number): Document {
  const made = new Document();
  const buffer = made.createBuffer();
  const next = random(7);
  const nodes = Array.from({ length: joints }, (_, k) =>
    made.createNode(`tail.${k}`).setTranslation([0, k === 0 ? 1 : 0.21, 0.013 * k]),
  );
  for (const [k, node] of nodes.entries()) if (k > 0) nodes[k - 1].addChild(node);
  const accessor = (
    type: 'VEC3' | 'VEC4' | 'SCALAR' | 'MAT4',
    array: Float32Array | Uint16Array | Uint8Array,
  ) =>
    made
      .createAccessor()
      .setType(type)
      .setArray(array as Float32Array<ArrayBuffer>)
      .setBuffer(buffer);
  const count = 24 * joints;
  const positions = Float32Array.from({ length: 3 * count }, (_, i) =>
    i % 3 === 1 ? 1 + (0.21 * Math.floor(i / 3)) / 24 : 0.1 * (next() - 0.5),
  );
  const skinned = Uint8Array.from({ length: 4 * count }, (_, i) => (i % 4 === 0 ? Math.floor(i / 96) : 0));
  const weights = Float32Array.from({ length: 4 * count }, (_, i) => (i % 4 === 0 ? 1 : 0));
  const triangles = Uint16Array.from({ length: 3 * (count - 2) }, (_, i) => Math.floor(i / 3) + (i % 3));
  const primitive = made
    .createPrimitive()
    .setAttribute('POSITION', accessor('VEC3', positions))
    .setAttribute('JOINTS_0', accessor('VEC4', skinned))
    .setAttribute('WEIGHTS_0', accessor('VEC4', weights))
    .setIndices(accessor('SCALAR', triangles));
  const skin = made.createSkin();
  const inverses = new Float32Array(16 * joints);
  for (const [k, node] of nodes.entries()) {
    skin.addJoint(node);
    const up = [0, 1 + 0.21 * k, (0.013 * k * (k + 1)) / 2];
    inverses.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, -up[0], -up[1], -up[2], 1], 16 * k);
  }
  skin.setInverseBindMatrices(accessor('MAT4', inverses));
  const body = made.createNode('body').setMesh(made.createMesh('body').addPrimitive(primitive)).setSkin(skin);
  made.createScene().addChild(nodes[0]).addChild(body);
  const animation = made.createAnimation('sway');
  const times = accessor(
    'SCALAR',
    Float32Array.from({ length: 61 }, (_, i) => i / 30),
  );
  for (const [k, node] of nodes.entries()) {
    const turns = Float32Array.from({ length: 4 * 61 }, (_, i) => {
      const half = 0.2 * Math.sin(0.2 * Math.floor(i / 4) + k);
      return [Math.sin(half), 0, 0, Math.cos(half)][i % 4];
    });
    const sampler = made.createAnimationSampler().setInput(times).setOutput(accessor('VEC4', turns));
    const channel = made.createAnimationChannel().setTargetNode(node).setTargetPath('rotation');
    animation.addSampler(sampler).addChannel(channel.setSampler(sampler));
  }
  return made;
}

const plain = () => new NodeIO().writeBinary(tail(6));

let io: NodeIO;
beforeAll(async () => {
  await MeshoptEncoder.ready;
  io = new NodeIO()
    .registerExtensions([EXTMeshoptCompression, KHRDracoMeshCompression, KHRMeshQuantization])
    .registerDependencies({
      'meshopt.encoder': MeshoptEncoder,
      'meshopt.decoder': MeshoptDecoder,
      'draco3d.encoder': await draco.createEncoderModule(),
      'draco3d.decoder': await draco.createDecoderModule(),
    });
});

const PACKINGS: readonly [name: string, pack: (made: Document) => void][] = [
  ['Draco meshes', (made) => made.createExtension(KHRDracoMeshCompression).setRequired(true)],
  [
    'meshopt buffers',
    (made) =>
      made
        .createExtension(EXTMeshoptCompression)
        .setRequired(true)
        .setEncoderOptions({ method: EXTMeshoptCompression.EncoderMethod.QUANTIZE }),
  ],
];

describe.each(PACKINGS)('a character with %s', (_, pack) => {
  const packed = async () => {
    const made = tail(6);
    pack(made);
    return io.writeBinary(made);
  };

  it('has the joints and the animation of the plain file, as another reader finds them', async () => {
    const bytes = await packed();
    const [own, was] = [
      await readCharacter('tail.glb', bytes),
      await readCharacter('tail.glb', await plain()),
    ];
    expect(own.warnings).toEqual([]);
    expect(own.rig.joints).toEqual(was.rig.joints);
    expect(own.takes[0].count).toBe(was.takes[0].count);
    const [a, b] = [own, was].map(({ takes }) => takes[0].rotations.values);
    expect(a.length).toBe(b.length);
    for (const [k, value] of a.entries()) expect(Math.abs(value - b[k])).toBeLessThan(1e-6);
    // As @gltf-transform reads the packed file.
    const other = await io.readBinary(bytes);
    const turns = other.getRoot().listAnimations()[0].listSamplers()[3].getOutput()!.getArray()!;
    const { joints, values } = own.takes[0].rotations;
    const at = joints.indexOf(own.rig.joints.findIndex(({ name }) => name === 'tail.3'));
    for (let s = 0; s < 61; s++)
      for (let c = 0; c < 4; c++)
        expect(Math.abs(values[4 * (s * joints.length + at) + c] - turns[4 * s + c])).toBeLessThan(1e-6);
  });

  it('is read from a stack by a process that has read nothing before, as a take and as a rig', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'evlay-packed-'));
    const stack = (file: string) => ({
      format: 'evlay-stack',
      version: 1,
      fps: 30,
      range: [0, 60],
      rig: file,
      layers: [{ name: 'Base', take: { file } }],
    });
    const baked = [await packed(), await plain()].map((bytes, k) => {
      writeFileSync(join(folder, `${k}.glb`), bytes);
      writeFileSync(join(folder, `${k}.json`), JSON.stringify(stack(`${k}.glb`)));
      const call = ['bake', join(folder, `${k}.json`), '--out', join(folder, `${k}.bvh`)];
      const cli = join(import.meta.dirname, '../../../apps/cli/bin/evlay.mjs');
      const { status, stderr } = spawnSync(process.execPath, [cli, ...call], { encoding: 'utf8' });
      expect(status).toBe(0);
      // What a BVH file cannot hold is said, and nothing else.
      expect(stderr).toMatch(/^(evlay: warning: A BVH has the skeleton alone, without the surface.*\n)?$/);
      return readFileSync(join(folder, `${k}.bvh`), 'utf8')
        .split('MOTION')[1]
        .trim()
        .split(/\s+/)
        .slice(5);
    });
    expect(baked[0].length).toBe(baked[1].length);
    for (const [k, text] of baked[0].entries()) expect(Number(text)).toBeCloseTo(Number(baked[1][k]), 3);
  });

  it('is baked onto with what was packed byte for byte as it was', async () => {
    const bytes = await packed();
    const project = projectFromCharacter(await readCharacter('tail.glb', bytes));
    const baked = writeOnCharacter(bytes, project.rig, await bake(project), 'baked');
    const [before, after] = [splitGlb(bytes), splitGlb(baked)];
    expect(after.bin.subarray(0, before.bin.length)).toEqual(before.bin);
    const own = await io.readBinary(baked);
    const mesh = (file: Document) =>
      Array.from(file.getRoot().listMeshes()[0].listPrimitives()[0].getAttribute('POSITION')!.getArray()!);
    expect(mesh(own)).toEqual(mesh(await io.readBinary(bytes)));
    const again = await readCharacter('again.glb', baked);
    expect(again.takes.map(({ count }) => count)).toEqual([61, 61]);
  });
});

describe('packed bytes that are none', () => {
  it('are an error with the place, and no crash', async () => {
    const made = tail(2);
    PACKINGS[1][1](made);
    const bytes = await io.writeBinary(made);
    const { bin } = splitGlb(bytes);
    const from = bytes.length - bin.length;
    for (let k = 0; k < 40; k++) {
      const broken = bytes.slice();
      for (let i = 0; i < 200; i++) broken[from + ((k * 977 + i * 31) % bin.length)] ^= 0x5a;
      const read = await readCharacter('broken.glb', broken).catch((error: unknown) => error);
      if (read instanceof Error) expect(read).toBeInstanceOf(FileError);
    }
  });
});
