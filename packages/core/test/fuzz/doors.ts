import { strToU8, zipSync } from 'fflate';
import { random } from '../../bench/subject.js';
import { bakeBlock, planBake } from '../../src/bake/index.js';
import { checkTake, takeUnit } from '../../src/check/index.js';
import { mappingFor, projectFromCharacter, projectFromTake } from '../../src/edit/index.js';
import {
  bvhText,
  mappingText,
  posesText,
  readAnyTake,
  readCharacter,
  readMapping,
  readPoses,
  readProject,
  readStack,
  stackText,
  writeGlb,
  writeOnCharacter,
} from '../../src/format/index.js';
import { compileStack, type Project, restPose, type Take } from '../../src/index.js';
import { findContacts } from '../../src/make/index.js';
import { matchRigs } from '../../src/match/index.js';
import { limbsOf } from '../../src/rig/index.js';
import { savePose, wantedBySaved } from '../../src/solve/index.js';
import { anyStackText } from '../any-stack.js';
import { awkwardCharacter } from '../awkward.js';
import { damaged, type MUTATIONS } from './mutate.js';

/** A way into the application: valid files of a kind, and what is done with one that comes in. */
export interface Door {
  readonly files: readonly Uint8Array[];
  readonly kind: keyof typeof MUTATIONS;
  /** Reads a file and does what is done with it when it is opened. Throws a `FileError`, or nothing. */
  readonly enter: (bytes: Uint8Array) => Promise<void>;
}

const BVH = `HIERARCHY
ROOT Hips
{
\tOFFSET 0 0.9 0
\tCHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
\tJOINT Spine
\t{
\t\tOFFSET 0 0.2 0
\t\tCHANNELS 3 Zrotation Xrotation Yrotation
\t\tJOINT Head
\t\t{
\t\t\tOFFSET 0 0.4 0
\t\t\tCHANNELS 3 Zrotation Xrotation Yrotation
\t\t\tEnd Site
\t\t\t{
\t\t\t\tOFFSET 0 0.2 0
\t\t\t}
\t\t}
\t}
${['Left', 'Right']
  .map(
    (side) => `\tJOINT ${side}UpLeg
\t{
\t\tOFFSET ${side === 'Left' ? 0.1 : -0.1} 0 0
\t\tCHANNELS 3 Zrotation Xrotation Yrotation
\t\tJOINT ${side}Foot
\t\t{
\t\t\tOFFSET 0 -0.8 0
\t\t\tCHANNELS 3 Zrotation Xrotation Yrotation
\t\t\tEnd Site
\t\t\t{
\t\t\t\tOFFSET 0 -0.1 0.1
\t\t\t}
\t\t}
\t}`,
  )
  .join('\n')}
}
MOTION
Frames: 6
Frame Time: 0.0333333
${Array.from({ length: 6 }, (_, k) => Array.from({ length: 24 }, (_, c) => (c === 1 ? 0.9 : (0.1 * k * c).toFixed(2))).join(' ')).join('\n')}
`;

/** What is done with every take that comes in. */
function enterTake(take: Take, project: Project): void {
  findContacts(take, takeUnit(project, take));
  matchRigs(take.rig, project.rig);
  mappingFor(project, take);
  checkTake(project, take);
}

/** What is done with every project that is opened: its first samples are baked and looked at, and it is written. */
function enterProject(project: Project): void {
  const samples = bakeBlock(
    compileStack(project),
    planBake(project, { range: [project.range[0], project.range[0]] }),
    0,
    1,
  );
  for (const { values } of [samples.translations, samples.rotations, samples.scales])
    for (const value of values) if (!Number.isFinite(value)) throw new Error('a baked number is not finite');
  for (const take of project.takes.slice(0, 3)) enterTake(take, project);
  limbsOf(project.rig, project.limbs);
  stackText(project, (id) => `${id}.bvh`);
}

/** All ways in. */
export async function doors(): Promise<Readonly<Record<string, Door>>> {
  const bvh = strToU8(BVH);
  const { take } = await readAnyTake('walk.bvh', bvh);
  const project = projectFromTake(take);
  const baked = bakeBlock(compileStack(project), planBake(project, {}), 0, 6);
  const glb = writeGlb(take.rig, baked, {
    name: 'walk',
    metresPerUnit: 1,
  });
  const stack = strToU8(anyStackText(project));
  const awkward = awkwardCharacter();
  const names = take.rig.joints.map(({ name }) => name);
  const saved = savePose(take.rig, restPose(take.rig), [0, 1, 2], {
    name: 'Bent',
    kind: 'whole',
    tags: ['a'],
  });
  const find = (name: string) =>
    /bvh$/.test(name) ? { bytes: bvh } : /glb$/.test(name) ? { bytes: glb } : undefined;
  const text = JSON.parse(new TextDecoder().decode(stack));
  const zip = (level: 0 | 6) =>
    zipSync(
      {
        'stack.json': stack,
        'takes/walk.bvh': bvh,
        'project.json': strToU8(
          '{"name":"x","sets":[{"name":"a","joints":["b"]}],"views":[{"name":"v","from":[0,1,2],"at":[0,0,0]}]}',
        ),
      },
      { level },
    );
  return {
    bvh: {
      files: [bvh, strToU8(bvhText(take.rig, baked))],
      kind: 'text',
      async enter(bytes) {
        enterProject(projectFromTake((await readAnyTake('walk.bvh', bytes)).take));
      },
    },
    glb: {
      files: [glb, awkward],
      kind: 'glb',
      async enter(bytes) {
        enterProject(projectFromTake((await readAnyTake('walk.glb', bytes)).take));
      },
    },
    character: {
      files: [awkward, glb],
      kind: 'glb',
      async enter(bytes) {
        const read = await readCharacter('x.glb', bytes);
        const project = projectFromCharacter(read);
        enterProject(project);
        const samples = bakeBlock(compileStack(project), planBake(project, { range: [0, 0] }), 0, 1);
        writeOnCharacter(read.figure.bytes, read.rig, samples, 'still');
      },
    },
    gltf: {
      files: [loose(awkward)],
      kind: 'json',
      async enter(bytes) {
        const read = await readCharacter('x.gltf', bytes, (name) =>
          name === 'a b.bin' ? binOf(awkward) : undefined,
        );
        enterProject(projectFromCharacter(read));
      },
    },
    stack: {
      files: [
        stack,
        strToU8(
          JSON.stringify({
            ...text,
            rig: 'rig.glb',
            parts: { tip: names.slice(1, 2) },
            limbs: { trunk: null },
          }),
        ),
      ],
      kind: 'json',
      async enter(bytes) {
        enterProject((await readStack(bytes, 'x', find)).project);
      },
    },
    project: {
      files: [zip(6), zip(0)],
      kind: 'zip',
      async enter(bytes) {
        enterProject((await readProject(bytes, 'x.evlay')).project);
      },
    },
    poses: {
      files: [strToU8(posesText([saved]))],
      kind: 'json',
      async enter(bytes) {
        const poses = readPoses('poses.json', bytes);
        for (const pose of poses) wantedBySaved(take.rig, restPose(take.rig), pose);
      },
    },
    mapping: {
      files: [strToU8(mappingText({ Hips: 'root', Head: 'skull', Spine: 'back' }))],
      kind: 'json',
      async enter(bytes) {
        readMapping('map.json', bytes);
      },
    },
  };
}

const chunk = (glb: Uint8Array, at: number) =>
  glb.subarray(at + 8, at + 8 + new DataView(glb.buffer, glb.byteOffset).getUint32(at, true));
const jsonOf = (glb: Uint8Array) => chunk(glb, 12);
const binOf = (glb: Uint8Array) => chunk(glb, 20 + jsonOf(glb).length);

/** A binary glTF file as a `.gltf` with its numbers beside it, and with a picture in it. */
function loose(glb: Uint8Array): Uint8Array {
  const json = JSON.parse(new TextDecoder().decode(jsonOf(glb)));
  json.buffers[0].uri = 'a%20b.bin';
  json.images = [{ uri: 'data:image/png;base64,iVBORw0KGgo=' }, { uri: 'missing.png' }];
  return strToU8(JSON.stringify(json));
}

/** Input `k` of a door: the same for the same seed. */
export function inputOf({ files, kind }: Door, seed: number, k: number): Uint8Array {
  const next = random(Math.imul(seed, 0x9e3779b1) ^ Math.imul(k + 1, 0x85ebca6b));
  return damaged(kind, files[k % files.length], next);
}
