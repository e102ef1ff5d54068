import { existsSync, mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { validateBytes } from 'gltf-validator';
import { describe, expect, it } from 'vitest';
import { bakeBlock, planBake } from '../src/bake/index.js';
import { projectFromCharacter } from '../src/edit/index.js';
import {
  clipNames,
  FileError,
  joinGlb,
  type ReadCharacter,
  readAnyTake,
  readCharacter,
  readSkeleton,
  readTake,
  splitGlb,
  writeBvh,
  writeOnCharacter,
} from '../src/format/index.js';
import {
  compileStack,
  evaluateStack,
  keyed,
  newKey,
  newLayer,
  type Project,
  restPose,
  takeOf,
} from '../src/index.js';
import { globalMatrices } from '../src/rig/index.js';
import { awkwardCharacter } from './awkward.js';
import { assimpReader, threeGlbReader } from './capture.js';
import { positionsAt as positionsOfTake } from './positions.js';

const MODELS = '/usr/share/assimp/models/glTF2';

const file = awkwardCharacter();
const awkward = async () => projectFromCharacter(await readCharacter('awkward.glb', file));

async function errorsOf(bytes: Uint8Array): Promise<string[]> {
  const { issues } = await validateBytes(bytes, { maxIssues: 100 });
  return issues.messages
    .filter(({ severity }) => severity === 0)
    .map(({ code, pointer }) => `${code} ${pointer}`);
}

/** World places of the joints at a frame, by name. */
function positionsAt(project: Project, frame: number): Map<string, number[]> {
  const { rig } = project;
  const pose = restPose(rig);
  evaluateStack(compileStack(project), frame, pose);
  const matrices = globalMatrices(rig, pose, new Float64Array(16 * rig.joints.length));
  return new Map(rig.joints.map(({ name }, j) => [name, [...matrices.subarray(16 * j + 12, 16 * j + 15)]]));
}

describe('a character from glTF', () => {
  it('stands and moves as in three’s loader, below nodes that are no joints and move too', async () => {
    expect(await errorsOf(file)).toEqual([]);
    const skeleton = readSkeleton(file);
    expect(skeleton.rig.joints.map(({ name, parent }) => [name, parent])).toEqual([
      ['Hips', -1],
      ['Chest', 0],
      ['Arm.L', 1],
      ['node-4', 0],
    ]);
    expect(clipNames(skeleton)).toEqual(['wave']);
    const project = await awkward();
    expect(takeOf(project.layers[0])?.take).toBe(project.takes[0].id);
    const three = await threeGlbReader(file);
    for (const frame of [0, 0.3, 1, 1.9, 2]) {
      const shown = three(frame / project.fps);
      const places = positionsAt(project, frame);
      // Three takes the dot out of names.
      for (const [name, own] of [
        ['Hips', 'Hips'],
        ['Chest', 'Chest'],
        ['ArmL', 'Arm.L'],
      ])
        for (const [axis, value] of shown.get(name)!.toArray().entries())
          expect(places.get(own)![axis]).toBeCloseTo(value, 6);
    }
  });

  it('gets a bake as one more animation; all else stays byte for byte, valid, and plays elsewhere as in the view', async () => {
    const project = await awkward();
    const layer = newLayer('Bend', 'additive', {
      content: keyed({
        'Arm.L': { rz: { keys: [newKey(0, 0), newKey(2, 70)] } },
        Hips: { tx: { keys: [newKey(0, 0), newKey(2, 0.3)] }, ry: { keys: [newKey(0, 0), newKey(2, 50)] } },
        Chest: { sy: { keys: [newKey(0, 1), newKey(2, 1.4)] } },
      }),
    });
    const stacked = { ...project, layers: [...project.layers, layer] };
    const samples = bakeBlock(compileStack(stacked), planBake(stacked, { fps: 10 }), 0, 11);
    const out = writeOnCharacter(file, project.rig, samples, 'bent');
    expect(await errorsOf(out)).toEqual([]);

    const [before, after] = [splitGlb(file), splitGlb(out)];
    expect(after.bin.subarray(0, before.bin.length)).toEqual(before.bin);
    expect(after.others).toEqual(before.others);
    // Only the joint that was a matrix and the length of the buffer are written anew; the rest is added.
    const kept = before.json
      .split('\n')
      .filter(
        (line) => !/"matrix"|"animations"|"samplers"|"accessors"|"bufferViews"|"buffers"|"count"/.test(line),
      );
    for (const line of kept) expect(after.json).toContain(line);
    const [old, now] = [before, after].map(({ json }) => JSON.parse(json));
    for (const field of ['animations', 'accessors', 'bufferViews'])
      expect(now[field].slice(0, old[field].length)).toEqual(old[field]);
    expect(now.animations.map((one: { name: string }) => one.name)).toEqual(['wave', 'bent']);
    for (const field of ['asset', 'extensions', 'scenes', 'meshes', 'materials', 'skins'])
      expect(now[field]).toEqual(old[field]);

    const path = join(mkdtempSync(join(tmpdir(), 'evlay-')), 'bent.glb');
    // Assimp's own exporter stumbles over extra data on nodes; they play no part in the motion.
    const bare = after.json.replace(
      /, "(extras": \{"role[^}]*\}|extensions": \{"ACME_lantern": \{\}\})/g,
      (found) => ' '.repeat(found.length),
    );
    writeFileSync(path, joinGlb({ ...after, json: bare }));
    const [three, assimp] = [await threeGlbReader(out, 1), assimpReader(path, 1)];
    for (const k of [0, 3, 7, 10]) {
      const places = positionsAt(stacked, (k * stacked.fps) / 10);
      for (const [read, names] of [
        [three(k / 10), { Hips: 'Hips', Chest: 'Chest', ArmL: 'Arm.L' }],
        [assimp(k), { Hips: 'Hips', Chest: 'Chest', 'Arm.L': 'Arm.L' }],
      ] as const)
        for (const [name, own] of Object.entries(names))
          for (const [axis, value] of read.get(name)!.toArray().entries())
            expect(Math.abs(places.get(own)![axis] - value)).toBeLessThan(1e-5);
    }
    const again = await readAnyTake('bent.glb', out, 'bent');
    expect(again.take.count).toBe(11);
  });

  it('bakes to BVH at the lengths that are seen, whatever stands above its root scales', async () => {
    const project = await awkward();
    const samples = bakeBlock(compileStack(project), planBake(project, {}), 0, 3);
    const { bytes, warnings } = writeBvh(project.rig, samples);
    const { take } = readTake('x.bvh', bytes);
    // Arm.L scales by half as much again, evenly and for nothing below it.
    expect(warnings).toEqual([]);
    for (const s of [0, 1, 2]) {
      const [own, shown] = [positionsOfTake(take, s), positionsAt(project, s)];
      for (const { name } of project.rig.joints)
        for (const axis of [0, 1, 2]) expect(own(name)[axis]).toBeCloseTo(shown.get(name)![axis], 5);
    }
  });

  it('says by name what a file needs that is not read', async () => {
    const folder = '/usr/share/assimp/models/glTF2/draco';
    const text = readFileSync(`${folder}/2CylinderEngine.gltf`, 'utf8');
    const read = (json: string) =>
      readCharacter('engine.gltf', new TextEncoder().encode(json), (name) =>
        readFileSync(`${folder}/${name}`),
      );
    expect((await read(text)).warnings).toEqual([]);
    const needing = (names: readonly string[]) =>
      read(JSON.stringify({ ...JSON.parse(text), extensionsRequired: names }));
    expect((await needing(['KHR_texture_basisu', 'KHR_draco_mesh_compression'])).warnings).toEqual([]);
    expect((await needing(['EXT_unheard_of'])).warnings).toEqual([
      expect.stringMatching(/needs "EXT_unheard_of", which is not read/),
    ]);
  });

  it('may be a rigid object: one joint, also where its pieces stand side by side in the scene', async () => {
    const json = JSON.stringify({
      asset: { version: '2.0' },
      scenes: [{ name: 'barrel', nodes: [0, 1] }],
      nodes: [
        { mesh: 0, translation: [1, 0, 0] },
        { mesh: 0, rotation: [0, Math.SQRT1_2, 0, Math.SQRT1_2] },
      ],
      meshes: [{ primitives: [{ attributes: { POSITION: 0 } }] }],
      accessors: [
        { bufferView: 0, componentType: 5126, count: 3, type: 'VEC3', min: [0, 0, 0], max: [1, 1, 0] },
      ],
      bufferViews: [{ buffer: 0, byteLength: 36 }],
      buffers: [{ byteLength: 36 }],
    });
    const bin = new Uint8Array(Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0).buffer);
    const glb = joinGlb({ json, bin, others: [] });
    const project = projectFromCharacter(await readCharacter('barrel.glb', glb));
    expect(project.rig.joints.map(({ name }) => name)).toEqual(['barrel']);
    const roll = newLayer('Roll', 'override', {
      content: keyed({
        barrel: {
          tx: { keys: [newKey(0, 0), newKey(30, 2)] },
          rz: { keys: [newKey(0, 0), newKey(30, -90)] },
        },
      }),
    });
    const rolled = { ...project, layers: [...project.layers, roll] };
    const samples = bakeBlock(compileStack(rolled), planBake(rolled, { range: [0, 30] }), 0, 31);
    const out = writeOnCharacter(glb, project.rig, samples, 'roll');
    expect(await errorsOf(out)).toEqual([]);
    const { animations, nodes } = JSON.parse(splitGlb(out).json);
    expect(nodes).toEqual(JSON.parse(json).nodes);
    expect(new Set(animations[0].channels.map((c: { target: { node: number } }) => c.target.node))).toEqual(
      new Set([0, 1]),
    );
  });

  const models = (readdirSync(MODELS, { recursive: true }) as string[]).filter((name) =>
    /\.gl(b|tf)$/.test(name),
  );

  it.each(models.filter((name) => !/Mesh_PrimitiveMode_(0[1-9]|1)/.test(name)))(
    'reads %s of assimp-testmodels or says what is wrong, and puts a motion on it',
    async (name) => {
      const path = join(MODELS, name);
      const beside = (other: string) =>
        existsSync(join(dirname(path), other)) ? readFileSync(join(dirname(path), other)) : undefined;
      let read: ReadCharacter;
      try {
        read = await readCharacter(name, readFileSync(path), beside);
      } catch (error) {
        expect(error).toBeInstanceOf(FileError);
        expect(name).toMatch(/MissingBin|Recursive|sceneWrong|NoRootNode|badString|badArray/);
        return;
      }
      const project = projectFromCharacter(read);
      const character = read.figure.bytes;
      const samples = bakeBlock(compileStack(project), planBake(project, { range: [0, 2] }), 0, 3);
      const out = writeOnCharacter(character, project.rig, samples, 'still');
      if ((await errorsOf(character)).length === 0) expect(await errorsOf(out)).toEqual([]);
      expect(JSON.parse(splitGlb(out).json).animations.at(-1).name).toBe('still');
    },
  );
});
