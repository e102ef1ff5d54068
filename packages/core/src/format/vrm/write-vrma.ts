import { multiply, multiplyInverse, rotate } from '../../math/quaternion.js';
import { facesOf } from '../../rig/members.js';
import { findParts } from '../../rig/parts.js';
import { globalMatrices, globalOrientations, restPose } from '../../rig/pose.js';
import { characterOf, isWithin, type Joint, type Rig } from '../../rig/rig.js';
import { type Role, rolesOf } from '../../rig/roles.js';
import { readSample } from '../../take/sample.js';
import { emptyTrack, type Samples } from '../../take/take.js';
import { FileError } from '../error.js';
import { joinGlb } from '../gltf/glb.js';
import type { MotionOptions } from '../gltf/motion-place.js';
import { restNodes } from '../gltf/write.js';
import { sampledOn } from '../gltf/write-samples.js';
import type { MotionFormat } from '../motion-file.js';

/** Bones that a humanoid has to have (VRMC_vrm-1.0, Humanoid). */
const LIMB_BONES = ['UpperArm', 'LowerArm', 'Hand', 'UpperLeg', 'LowerLeg', 'Foot'];
const REQUIRED = [
  'hips',
  'spine',
  'head',
  ...['left', 'right'].flatMap((side) => LIMB_BONES.map((bone) => side + bone)),
];
const FINGERS = ['Proximal', 'Intermediate', 'Distal'];
const THUMB = ['Metacarpal', 'Proximal', 'Distal'];
/** Expressions that have a name of their own there; all others are custom (VRMC_vrm-1.0, Expressions). */
const PRESETS = new Set([
  ...['happy', 'angry', 'sad', 'relaxed', 'surprised', 'aa', 'ih', 'ou', 'ee', 'oh'],
  ...['blink', 'blinkLeft', 'blinkRight', 'lookUp', 'lookDown', 'lookLeft', 'lookRight', 'neutral'],
]);

/** The humanoid bone that a role is, by the words of VRM 1.0; undefined where there is none. */
function boneOfRole({ role }: Role): string | undefined {
  const spine = ['spine', 'chest', 'upperChest'][Number(/^spine(\d+)$/.exec(role)?.[1]) - 1];
  if (spine) return spine;
  const finger = /^(left|right)(Thumb|Index|Middle|Ring|Little)(\d)$/.exec(role);
  if (finger) {
    const part = (finger[2] === 'Thumb' ? THUMB : FINGERS)[Number(finger[3]) - 1];
    return part && finger[1] + finger[2] + part;
  }
  if (/^(left|right)Eye\d*$/.test(role)) return role.replace(/\d+$/, '');
  if (role === 'neck1') return 'neck';
  return REQUIRED.includes(role) || /^(jaw|(left|right)(Shoulder|Toes))$/.test(role) ? role : undefined;
}

/** The humanoid bones of a rig and the joint of each: as its file says, else by the roles of its joints. */
export function humanBones(scene: Rig): ReadonlyMap<string, number> {
  const rig = characterOf(scene);
  const said = rig.joints.flatMap(({ bone }, j) => (bone ? [[bone, j] as const] : []));
  if (said.length > 0) return new Map(said);
  const found = new Map<string, number>();
  // What walks on four legs has no arms.
  if (findParts(rig).some((part) => /^(left|right)Hind/.test(part))) return found;
  for (const [j, role] of rolesOf(rig).entries()) {
    const bone = role && boneOfRole(role);
    if (bone && !found.has(bone)) found.set(bone, j);
  }
  return found;
}

/** The bones that a rig lacks to be a humanoid. */
const missingBones = (bones: ReadonlyMap<string, number>): string[] =>
  REQUIRED.filter((bone) => !bones.has(bone));

/** What of a rig is in no VRM animation, in sentences for people. */
export function lostInVrma(scene: Rig): string[] {
  const rig = characterOf(scene);
  const bones = humanBones(rig);
  const missing = missingBones(bones);
  if (missing.length > 0)
    return [`The character is no humanoid of VRM 1.0: it has no ${missing.slice(0, 3).join(', ')}`];
  const kept = new Set(bones.values());
  const others = rig.joints.filter((_, j) => !kept.has(j) && j > Math.min(...kept)).map(({ name }) => name);
  if (others.length === 0) return [];
  const some = `${others.slice(0, 3).join(', ')}${others.length > 3 ? ` and ${others.length - 3} more` : ''}`;
  return [`A VRMA has humanoid bones alone, and moves none but the hips; it has no ${some}`];
}

/**
 * A motion as a VRM animation (VRMC_vrm_animation-1.0): the skeleton from the hips on at rest, turns of its humanoid bones,
 * the way of the hips in the scene, and face channels as expressions. What stands above the hips counts into them. Throws
 * {@link FileError} for a rig that is no humanoid.
 */
export function vrmaFormat(
  scene: Rig,
  samples: Pick<Samples, 'count' | 'interval'>,
  options: MotionOptions,
): MotionFormat {
  const rig = characterOf(scene);
  const bones = humanBones(rig);
  const missing = missingBones(bones);
  if (missing.length > 0)
    throw new FileError(
      'the skeleton',
      `it has no ${missing.slice(0, 3).join(', ')}, expected the bones of a humanoid of VRM 1.0`,
    );
  const hips = bones.get('hips')!;
  const kept = rig.joints.flatMap((_, j) => (isWithin(rig, j, hips) ? [j] : []));
  const body = bodyFrom(scene, kept);
  const ofBody = [...bones].flatMap(([bone, j]) => {
    const own = kept.indexOf(j);
    return own >= 0 ? [{ bone, own, joint: j }] : [];
  });
  const file = humanoidGlb(body, new Map(ofBody.map(({ bone, own }) => [bone, own])), options);
  const turned = ofBody.sort((a, b) => a.own - b.own);
  const own = sampledOn(file, body, samples, { ...options, props: false, still: true });
  const ofBones = (part: Samples): Samples => bonesOfPart(scene, hips, turned, part);
  return {
    flags: own.flags,
    note: (part, flags) => own.note(ofBones(part), flags),
    begin(flags) {
      const written = own.begin(flags);
      return { ...written, next: (part) => written.next(ofBones(part)) };
    },
  };
}

/** The rig from the hips on, which stand where they stand in the scene at rest. */
function bodyFrom(scene: Rig, kept: readonly number[]): Rig {
  const rig = characterOf(scene);
  const [hips] = kept;
  const rest = restPose(rig);
  const matrices = globalMatrices(rig, rest, new Float64Array(16 * rig.joints.length));
  const orientations = globalOrientations(rig, rest, new Float64Array(4 * rig.joints.length));
  const joints = kept.map((j): Joint => {
    const joint = rig.joints[j];
    if (j !== hips) return { ...joint, parent: kept.indexOf(joint.parent) };
    return {
      ...joint,
      parent: -1,
      translation: [matrices[16 * j + 12], matrices[16 * j + 13], matrices[16 * j + 14]],
      rotation: [...orientations.subarray(4 * j, 4 * j + 4)] as unknown as Joint['rotation'],
    };
  });
  const faces = facesOf(scene);
  return faces.length > 0 ? { joints, faces } : { joints };
}

/** A file with the skeleton at rest, what its nodes are to a humanoid, and a node for each expression. */
function humanoidGlb(
  body: Rig,
  bones: ReadonlyMap<string, number>,
  { name, metresPerUnit }: MotionOptions,
): Uint8Array {
  const faces = facesOf(body);
  const joints = restNodes(body, metresPerUnit);
  const first = joints.length;
  const nodeOf = (of: (name: string) => boolean) =>
    Object.fromEntries(
      faces.flatMap((face, f) => (of(face.name) ? [[face.name, { node: first + f }] as const] : [])),
    );
  const json = {
    asset: { version: '2.0', generator: 'Evlay' },
    extensionsUsed: ['VRMC_vrm_animation'],
    scene: 0,
    scenes: [{ name, nodes: [0, ...faces.map((_, f) => first + f)] }],
    nodes: [...joints, ...faces.map((face) => ({ name: `${face.name} (expression)` }))],
    extensions: {
      VRMC_vrm_animation: {
        specVersion: '1.0',
        humanoid: { humanBones: Object.fromEntries([...bones].map(([bone, node]) => [bone, { node }])) },
        ...(faces.length > 0 && {
          expressions: {
            preset: nodeOf((face) => PRESETS.has(face)),
            custom: nodeOf((face) => !PRESETS.has(face)),
          },
        }),
      },
    },
  };
  return joinGlb({ json: JSON.stringify(json), bin: new Uint8Array(0), others: [] });
}

/** Samples of the bones alone: the hips as they are in the scene, all others against their parent. */
function bonesOfPart(
  scene: Rig,
  hips: number,
  turned: readonly { readonly own: number; readonly joint: number }[],
  part: Samples,
): Samples {
  const { count, interval, faces } = part;
  const translations = new Float64Array(3 * count);
  const rotations = new Float64Array(4 * turned.length * count);
  const pose = restPose(scene);
  const bones = new Set(turned.map(({ joint }) => joint));
  const lines = turned.map(({ joint }) => lineAbove(scene, joint, bones));
  const above = lineAbove(scene, hips, bones).joints;
  for (let s = 0; s < count; s++) {
    readSample(part, s, pose);
    const place = [...pose.translations.subarray(3 * hips, 3 * hips + 3)];
    for (const j of above) {
      for (let axis = 0; axis < 3; axis++) place[axis] *= pose.scales[3 * j + axis];
      rotate(place, 0, pose.rotations, 4 * j, place, 0);
      for (let axis = 0; axis < 3; axis++) place[axis] += pose.translations[3 * j + axis];
    }
    translations.set(place, 3 * s);
    for (const [k, { joint }] of turned.entries()) {
      const o = 4 * (s * turned.length + k);
      rotations.set(pose.rotations.subarray(4 * joint, 4 * joint + 4), o);
      for (const j of lines[k].joints) multiply(rotations, o, pose.rotations, 4 * j, rotations, o);
      // What lies between two bones stays as it rests in the file.
      if (joint !== hips) multiplyInverse(rotations, o, lines[k].rest, 0, rotations, o);
    }
  }
  return {
    count,
    interval,
    translations: { joints: Int32Array.of(0), size: 3, values: translations },
    rotations: { joints: Int32Array.from(turned, ({ own }) => own), size: 4, values: rotations },
    scales: emptyTrack(3),
    faces,
  };
}

/** The joints above one that are no bones, up to the next bone or the top, and how they are turned at rest. */
function lineAbove(
  scene: Rig,
  joint: number,
  bones: ReadonlySet<number>,
): { readonly joints: readonly number[]; readonly rest: Float64Array } {
  const joints: number[] = [];
  const rest = Float64Array.of(0, 0, 0, 1);
  for (let j = scene.joints[joint].parent; j >= 0 && !bones.has(j); j = scene.joints[j].parent) {
    joints.push(j);
    multiply(rest, 0, [...scene.joints[j].rotation], 0, rest, 0);
  }
  return { joints, rest };
}
