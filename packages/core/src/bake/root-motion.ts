import { multiply, multiplyByInverse, multiplyInverse, normalize, rotate } from '../math/quaternion.js';
import { restPose } from '../rig/pose.js';
import { characterOf, type Rig } from '../rig/rig.js';
import { rootOf } from '../rig/topology.js';
import type { Samples } from '../take/take.js';
import type { Shaping } from './to-file.js';

/** How the root moves in what is baked. */
export interface RootMotion {
  /** Whether it stays above the place on the floor at which it began; it keeps its height. */
  readonly onTheSpot?: boolean;
  /** Whether it lies on the floor below the joint that it carries, which keeps its own way. */
  readonly onFloor?: boolean;
}

/** Why the root of a rig cannot lie on the floor; undefined where it can. */
export function floorRefusal(rig: Rig): string | undefined {
  const { joints } = characterOf(rig);
  const root = rootOf(rig);
  const children = joints.filter(({ parent }) => parent === root);
  if (children.length === 1) return undefined;
  return `${joints[root].name} is the root and carries ${children.length === 0 ? 'nothing' : `${children.length} joints itself`}: this is for a root that carries the hips alone`;
}

/**
 * Changes how the root moves in samples of every joint, which come part after part. On the floor the root lies where it does
 * at rest, seen from the joint that it carries, and has its heading: the twist about Y of what that joint has turned from
 * rest (Dobrowolski, Swing-twist decomposition in Clifford algebra, 2015). Nothing but the root is elsewhere then. Props stay
 * as they are.
 */
export function shapeRoot(rig: Rig, { onTheSpot, onFloor }: RootMotion): Shaping {
  const floor = onFloor ? floorShaping(rig) : undefined;
  const spot = onTheSpot ? spotShaping(rootOf(rig)) : undefined;
  return (part) => {
    if (!floor && !spot) return part;
    const { translations, rotations } = part;
    const own: Samples = {
      ...part,
      translations: { ...translations, values: translations.values.slice() },
      rotations: { ...rotations, values: rotations.values.slice() },
    };
    floor?.(own);
    spot?.(own);
    return own;
  };
}

function spotShaping(root: number): (part: Samples) => void {
  let began: readonly [number, number] | undefined;
  return ({ count, translations: { values, joints } }) => {
    began ??= [values[3 * root], values[3 * root + 2]];
    for (let s = 0; s < count; s++) {
      const at = 3 * (s * joints.length + root);
      values[at] = began[0];
      values[at + 2] = began[1];
    }
  };
}

function floorShaping(rig: Rig): (part: Samples) => void {
  const top = rootOf(rig);
  const carried = rig.joints.findIndex(({ parent }) => parent === top);
  const n = rig.joints.length;
  const rest = restPose(rig);
  // Where the carried joint lies at rest, seen from the root, and how it is turned there.
  const arm = new Float64Array(3);
  const restTurn = new Float64Array(4);
  for (let c = 0; c < 3; c++) arm[c] = rest.scales[3 * top + c] * rest.translations[3 * carried + c];
  rotate(arm, 0, rest.rotations, 4 * top, arm, 0);
  multiply(restTurn, 0, rest.rotations, 4 * top, rest.rotations, 4 * carried);
  const place = new Float64Array(3);
  const turn = new Float64Array(4);
  const heading = new Float64Array(4);
  const foot = new Float64Array(3);
  return ({ count, translations, rotations, scales }) => {
    const t = translations.values;
    const r = rotations.values;
    for (let s = 0; s < count; s++) {
      const root = s * n + top;
      const joint = s * n + carried;
      const scale = scales.values.subarray(3 * root, 3 * root + 3);
      for (let c = 0; c < 3; c++) place[c] = scale[c] * t[3 * joint + c];
      rotate(place, 0, r, 4 * root, place, 0);
      for (let c = 0; c < 3; c++) place[c] += t[3 * root + c];
      multiply(turn, 0, r, 4 * root, r, 4 * joint);
      multiplyByInverse(heading, 0, turn, 0, restTurn, 0);
      heading[0] = 0;
      heading[2] = 0;
      normalize(heading, 0);
      rotate(foot, 0, heading, 0, arm, 0);
      for (let c = 0; c < 3; c++) t[3 * root + c] = c === 1 ? 0 : place[c] - foot[c];
      multiply(r, 4 * root, heading, 0, rest.rotations, 4 * top);
      // What the root does not do any more the joint below does.
      for (let c = 0; c < 3; c++) place[c] -= t[3 * root + c];
      heading.set(r.subarray(4 * root, 4 * root + 4));
      multiplyInverse(r, 4 * joint, heading, 0, turn, 0);
      for (let c = 0; c < 3; c++) heading[c] = -heading[c];
      rotate(place, 0, heading, 0, place, 0);
      for (let c = 0; c < 3; c++) t[3 * joint + c] = place[c] / scale[c];
    }
  };
}
