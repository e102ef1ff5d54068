import { newId } from '../id.js';
import type { PosedJoint, PoseKind, SavedPose } from '../layer/saved-pose.js';
import { multiply, multiplyByInverse, multiplyInverse, power } from '../math/quaternion.js';
import { emptyRecord } from '../record.js';
import { faceIndex, isFace, memberName } from '../rig/members.js';
import { headingOf, mirrorOf, mirrorTransforms } from '../rig/mirror.js';
import { type Pose, rigHeight } from '../rig/pose.js';
import type { Quaternion, Rig } from '../rig/rig.js';
import { rolesOf } from '../rig/roles.js';
import { rootOf } from '../rig/topology.js';
import type { WantedTransform } from './beneath.js';

const NO_TURN = [0, 0, 0, 1];

/** The turn of a joint from rest against its parent, in the axes of the scene at rest, of its local rotation. */
function turnOf(rig: Rig, j: number, rotation: readonly number[]): number[] {
  const { rest } = mirrorOf(rig);
  const { parent } = rig.joints[j];
  const turn = [...NO_TURN];
  multiply(
    turn,
    0,
    parent < 0 ? NO_TURN : [...rest.subarray(4 * parent, 4 * parent + 4)],
    0,
    [...rotation],
    0,
  );
  multiplyByInverse(turn, 0, turn, 0, rest, 4 * j);
  return turn;
}

/** The local rotation of a joint that has turned so far from rest: the other way of {@link turnOf}. */
function rotationOf(rig: Rig, j: number, turn: readonly number[]): number[] {
  const { rest } = mirrorOf(rig);
  const { parent } = rig.joints[j];
  const rotation = [...NO_TURN];
  multiply(rotation, 0, [...turn], 0, rest, 4 * j);
  multiplyInverse(
    rotation,
    0,
    parent < 0 ? NO_TURN : [...rest.subarray(4 * parent, 4 * parent + 4)],
    0,
    rotation,
    0,
  );
  return rotation;
}

/**
 * Keeps a pose as it is seen. `members` are the joints and face channels that it holds; a whole character also holds how high its root is, and
 * its root without the heading, so that it can be taken anywhere.
 */
export function savePose(
  rig: Rig,
  pose: Pose,
  members: readonly number[],
  { name, kind, tags = [] }: { name: string; kind: PoseKind; tags?: readonly string[] },
): SavedPose {
  const roles = rolesOf(rig);
  const joints = members.filter((member) => !isFace(rig, member));
  const faces = members.filter((member) => isFace(rig, member));
  const posed = joints.map((j): PosedJoint => {
    const turn = turnOf(rig, j, [...pose.rotations.subarray(4 * j, 4 * j + 4)]);
    if (rig.joints[j].parent < 0) multiplyInverse(turn, 0, headingOf(turn), 0, turn, 0);
    const role = roles[j]?.role;
    return { name: rig.joints[j].name, ...(role && { role }), turn: turn as unknown as Quaternion };
  });
  const root = rootOf(rig);
  const rise = (pose.translations[3 * root + 1] - rig.joints[root].translation[1]) / rigHeight(rig);
  return {
    id: newId(),
    name,
    tags,
    kind,
    joints: posed,
    ...(faces.length > 0 && {
      faces: Object.assign(
        emptyRecord<number>(),
        Object.fromEntries(
          faces.map((member) => [memberName(rig, member), pose.faces[member - rig.joints.length]]),
        ),
      ),
    }),
    ...(kind === 'whole' && Number.isFinite(rise) && { rise }),
  };
}

/** Which joints of a rig a saved pose poses: those of the same name and role, else those of the same role; -1 for none. */
export function jointsOfPose(rig: Rig, saved: SavedPose): number[] {
  const roles = rolesOf(rig);
  const byName = new Map(rig.joints.map(({ name }, j) => [name, j]));
  const byRole = new Map(roles.flatMap((role, j) => (role ? [[role.role, j] as const] : [])));
  return saved.joints.map(({ name, role }) => {
    const same = byName.get(name);
    if (same !== undefined && roles[same]?.role === role) return same;
    return (role === undefined ? undefined : byRole.get(role)) ?? -1;
  });
}

/** Whether a saved pose says something about a rig: it has at least half of the joints and face channels. */
export function suitsRig(rig: Rig, saved: SavedPose): boolean {
  const members = [
    ...jointsOfPose(rig, saved),
    ...Object.keys(saved.faces ?? {}).map((name) => faceIndex(rig, name)),
  ];
  return members.length > 0 && 2 * members.filter((member) => member >= 0).length >= members.length;
}

/** On which side of the body a saved pose was taken, if it is that of one side. */
export function sideOfPose(saved: SavedPose): 'left' | 'right' | undefined {
  const sides = new Set(saved.joints.map(({ role }) => /^(left|right)/.exec(role ?? '')?.[0]));
  const [side] = sides;
  return sides.size === 1 ? (side as 'left' | 'right' | undefined) : undefined;
}

/**
 * Where joints are wanted by a saved pose, from the pose that is seen: in full, or as far as `amount` says, which may
 * be more than 1 or less than 0. The character stays where it is and goes on heading where it heads.
 */
export function wantedBySaved(
  rig: Rig,
  seen: Pose,
  saved: SavedPose,
  { mirrored = false, amount = 1 }: { mirrored?: boolean; amount?: number } = {},
): Map<number, WantedTransform> {
  const full = new Map<number, WantedTransform>();
  for (const [k, j] of jointsOfPose(rig, saved).entries()) {
    if (j < 0) continue;
    const turn: number[] = [...saved.joints[k].turn];
    if (rig.joints[j].parent >= 0) {
      full.set(j, { rotation: rotationOf(rig, j, turn) });
      continue;
    }
    const heading = headingOf(turnOf(rig, j, [...seen.rotations.subarray(4 * j, 4 * j + 4)]));
    multiply(turn, 0, heading, 0, turn, 0);
    const [x, , z] = seen.translations.subarray(3 * j, 3 * j + 3);
    const y = rig.joints[j].translation[1] + (saved.rise ?? 0) * rigHeight(rig);
    full.set(j, {
      rotation: rotationOf(rig, j, turn),
      ...(saved.rise !== undefined && j === rootOf(rig) && { translation: [x, y, z] }),
    });
  }
  for (const [name, m] of Object.entries(saved.faces ?? {})) {
    const face = faceIndex(rig, name);
    if (face >= 0) full.set(rig.joints.length + face, { m });
  }
  const sided = mirrored ? mirrorTransforms(rig, full) : full;
  return amount === 1 ? sided : towards(seen, sided, amount);
}

/** Transforms on the way from the pose that is seen to wanted ones: 0 is what is seen, 1 what is wanted. */
export function towards(
  seen: Pose,
  wanted: ReadonlyMap<number, WantedTransform>,
  amount: number,
): Map<number, WantedTransform> {
  const out = new Map<number, WantedTransform>();
  for (const [j, { rotation, translation, scale, m }] of wanted) {
    if (m !== undefined) {
      const from = seen.faces[j - seen.rotations.length / 4];
      out.set(j, { m: from + (m - from) * amount });
      continue;
    }
    const turned = [...NO_TURN];
    if (rotation) {
      multiplyInverse(turned, 0, seen.rotations, 4 * j, [...rotation], 0);
      power(turned, 0, turned, 0, amount);
      multiply(turned, 0, seen.rotations, 4 * j, turned, 0);
    }
    out.set(j, {
      ...(rotation && { rotation: turned }),
      ...(translation && {
        translation: translation.map((value, axis) => {
          const from = seen.translations[3 * j + axis];
          return from + (value - from) * amount;
        }),
      }),
      ...(scale && {
        scale: scale.map((value, axis) => {
          const from = seen.scales[3 * j + axis];
          return from + (value - from) * amount;
        }),
      }),
    });
  }
  return out;
}
