import { multiply, multiplyInverse, rotate } from '../math/quaternion.js';
import { turnBetween } from '../math/turn.js';
import type { Limb } from '../rig/limbs.js';
import { globalMatrices, globalOrientations, type Pose, restPose } from '../rig/pose.js';
import { jointIndex, type Rig } from '../rig/rig.js';

/** A limb made ready to reach: what does not change from pose to pose. */
export interface CompiledLimb {
  readonly name: string;
  readonly rig: Rig;
  /** Indices of the joints, from the top to the end. */
  readonly chain: readonly number[];
  /** For each inner joint its hinge, in the axes of the joint above it in the chain. */
  readonly hinges: readonly (readonly number[])[];
}

const RADIANS = Math.PI / 180;
/** Bent backwards by less than this a joint is taken so; bent by more it bends on in its own plane. */
const BACKWARDS = 10 * RADIANS;
/** Between these angles the axis goes over from the hinge to the plane in which the joint is bent. */
const STRAIGHT = 2 * RADIANS;
const PLANE = 8 * RADIANS;
/** Steps in which an angle is looked for, and how exactly it is found. */
const STEP = 0.5 * RADIANS;
const EXACT = 1e-15;

/** Thrown where a limb cannot bend: a bone without length, or a bend along its bone. */
export class LimbError extends Error {}

const minus = (a: readonly number[], b: readonly number[]): number[] =>
  a.map((value, axis) => value - b[axis]);
const dot = (a: readonly number[], b: readonly number[]): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const cross = (a: readonly number[], b: readonly number[]): number[] => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];
const unit = (a: readonly number[]): number[] => {
  const length = Math.hypot(...a);
  return a.map((value) => value / length);
};
const turned = (q: readonly number[], v: readonly number[]): number[] => {
  const out = [...v];
  rotate(out, 0, [...q], 0, out, 0);
  return out;
};
const about = (axis: readonly number[], angle: number): number[] => [
  ...axis.map((value) => value * Math.sin(angle / 2)),
  Math.cos(angle / 2),
];

/** Makes a limb of a rig ready. Throws {@link LimbError}. */
export function compileLimb(rig: Rig, limb: Limb): CompiledLimb {
  const chain = limb.chain.map((name) => jointIndex(rig, name));
  const pose = restPose(rig);
  const matrices = globalMatrices(rig, pose, new Float64Array(16 * rig.joints.length));
  const orientations = globalOrientations(rig, pose, new Float64Array(4 * rig.joints.length));
  const positions = chain.map((j) => [...matrices.subarray(16 * j + 12, 16 * j + 15)]);
  const bones = positions.slice(1).map((p, k) => minus(p, positions[k]));
  if (bones.some((bone) => Math.hypot(...bone) < 1e-12))
    throw new LimbError(`${limb.name} has a bone without length`);
  const hinges = bones.slice(0, -1).map((bone, k) => {
    // From one inner joint to the next it is turned round: knee forward, hock back.
    const bend = limb.bend.map((value) => (k % 2 === 0 ? value : -value));
    const hinge = cross(bend, unit(bone));
    if (Math.hypot(...hinge) < 1e-9 * Math.hypot(...limb.bend))
      throw new LimbError(`the bend of ${limb.name} lies along its bone`);
    const back = [0, 0, 0, 1];
    multiplyInverse(back, 0, orientations, 4 * chain[k], back, 0);
    return turned(back, unit(hinge));
  });
  return { name: limb.name, rig, chain, hinges };
}

/** A limb as it stands: where its joints are, and about which axes its inner joints turn. */
interface Standing {
  readonly points: readonly (readonly number[])[];
  readonly axes: readonly (readonly number[])[];
  /** Whether its only inner joint is bent backwards. */
  readonly backwards: boolean;
  readonly angle: number;
}

function standing(
  { chain, hinges }: CompiledLimb,
  matrices: Float64Array,
  orientations: Float64Array,
): Standing {
  const points = chain.map((j) => [...matrices.subarray(16 * j + 12, 16 * j + 15)]);
  const bones = points.slice(1).map((p, k) => minus(p, points[k]));
  let backwards = false;
  let angle = 0;
  const axes = hinges.map((own, k) => {
    const hinge = turned([...orientations.subarray(4 * chain[k], 4 * chain[k] + 4)], own);
    let x = cross(unit(bones[k]), unit(bones[k + 1]));
    let bent = Math.atan2(Math.hypot(...x), dot(unit(bones[k]), unit(bones[k + 1])));
    if (dot(x, hinge) < 0 && bent < BACKWARDS) {
      x = x.map((value) => -value);
      bent = -bent;
    }
    if (hinges.length === 1) {
      backwards = bent < 0;
      angle = bent;
    }
    const t = Math.min(1, Math.max(0, (Math.abs(bent) - STRAIGHT) / PLANE));
    const u = t * t * (3 - 2 * t);
    const plane = Math.hypot(...x) > 0 ? unit(x) : hinge;
    return unit(hinge.map((value, axis) => (1 - u) * value + u * plane[axis]));
  });
  return { points, axes, backwards, angle };
}

/** The turns of the inner joints, in the scene, by the same angle each, and where the end comes to. */
function bentBy({ points, axes }: Standing, angle: number): { turns: number[][]; end: number[] } {
  let moved = points.map((p) => [...p]);
  let turning = axes.map((axis) => [...axis]);
  const turns: number[][] = [];
  let whole = [0, 0, 0, 1];
  for (let i = 0; i < turning.length; i++) {
    const q = about(turning[i], angle);
    const pivot = moved[i + 1];
    moved = moved.map((p, k) =>
      k <= i + 1 ? p : turned(q, minus(p, pivot)).map((value, axis) => value + pivot[axis]),
    );
    turning = turning.map((axis, k) => (k <= i ? axis : turned(q, axis)));
    const next = [...whole];
    multiply(next, 0, q, 0, whole, 0);
    whole = next;
    turns.push(whole);
  }
  return { turns, end: moved[moved.length - 1] };
}

/**
 * How far the end is from the top when all inner joints have turned by an angle. Axes turn along with what is above them,
 * so the last inner joint may as well turn first, about its axis as it stands: v = bone + R(axis, angle) · v, from the end
 * up, by the rotation formula of Rodrigues.
 */
function lengthBentBy(bones: readonly (readonly number[])[], axes: Standing['axes'], angle: number): number {
  const [sin, cos] = [Math.sin(angle), Math.cos(angle)];
  let [x, y, z] = bones[bones.length - 1];
  for (let i = axes.length - 1; i >= 0; i--) {
    const [a, b, c] = axes[i];
    const along = (1 - cos) * (a * x + b * y + c * z);
    const [bx, by, bz] = bones[i];
    const nextX = bx + cos * x + sin * (b * z - c * y) + along * a;
    const nextY = by + cos * y + sin * (c * x - a * z) + along * b;
    z = bz + cos * z + sin * (a * y - b * x) + along * c;
    x = nextX;
    y = nextY;
  }
  return Math.sqrt(x * x + y * y + z * z);
}

/** The angle by which all inner joints turn so that the end is as far from the top as it is to be. */
function angleFor(limb: Standing, distance: number): number {
  const bones = limb.points.slice(1).map((p, k) => minus(p, limb.points[k]));
  const off = (s: number) => lengthBentBy(bones, limb.axes, s) - distance;
  const start = off(0);
  if (start === 0) return 0;
  const lengthens = off(1e-6) - off(-1e-6) > 0 ? 1 : -1;
  if (start < 0) return nearestRoot(off, lengthens, Math.PI) ?? closest(off, lengthens);
  if (limb.backwards) {
    const found = nearestRoot(off, -1, Math.PI);
    if (found !== undefined && limb.angle + found >= -BACKWARDS - 1e-12) return found;
  }
  // A straight limb, or one that goes on lengthening first, comes round.
  return nearestRoot(off, 1, Math.PI) ?? closest(off, 1);
}

/** The root of a function that is nearest to 0 on one side of it. */
function nearestRoot(off: (s: number) => number, side: 1 | -1, reach: number): number | undefined {
  let [a, fa] = [0, off(0)];
  for (let k = 1; k * STEP <= reach + 1e-12; k++) {
    const b = side * k * STEP;
    const fb = off(b);
    if (fa === 0 && k > 1) return a;
    if (fa * fb <= 0 && fb !== fa) return bisected(off, a, b);
    [a, fa] = [b, fb];
  }
  return undefined;
}

function bisected(off: (s: number) => number, from: number, to: number): number {
  let [a, b] = [from, to];
  let fa = off(a);
  while (Math.abs(b - a) > EXACT) {
    const middle = (a + b) / 2;
    if (middle === a || middle === b) break;
    const value = off(middle);
    if (fa * value <= 0) b = middle;
    else [a, fa] = [middle, value];
  }
  return (a + b) / 2;
}

/** The angle within half a turn at which a function comes nearest to 0, on one side. */
function closest(off: (s: number) => number, side: 1 | -1): number {
  let best = 0;
  for (let k = 1; k * STEP <= Math.PI + 1e-12; k++)
    if (Math.abs(off(side * k * STEP)) < Math.abs(off(best))) best = side * k * STEP;
  let [a, b] = [best - STEP, best + STEP];
  const golden = (Math.sqrt(5) - 1) / 2;
  while (b - a > 1e-12) {
    const [c, d] = [b - golden * (b - a), a + golden * (b - a)];
    if (Math.abs(off(c)) < Math.abs(off(d))) b = d;
    else a = c;
  }
  return (a + b) / 2;
}

/**
 * Brings the end of a limb to a goal in the scene: the inner joints bend, then the whole limb turns about its top, and
 * the end keeps the orientation that it had. Out of reach it stretches towards the goal. Changes the local rotations of
 * the chain in `pose`. Returns how far the end is from the goal then, in units of the rig.
 */
export function reach(limb: CompiledLimb, pose: Pose, goal: readonly number[]): number {
  const { rig, chain } = limb;
  const matrices = globalMatrices(rig, pose, new Float64Array(16 * rig.joints.length));
  const orientations = globalOrientations(rig, pose, new Float64Array(4 * rig.joints.length));
  const now = standing(limb, matrices, orientations);
  const [top] = now.points;
  const end = now.points[now.points.length - 1];
  if (Math.hypot(...minus(goal, end)) === 0) return 0;
  const { turns, end: bent } = bentBy(now, angleFor(now, Math.hypot(...minus(goal, top))));
  const [from, to] = [minus(bent, top), minus(goal, top)];
  const still = Math.hypot(...from) < 1e-12 || Math.hypot(...to) < 1e-12;
  const whole = still
    ? [0, 0, 0, 1]
    : opposite(from, to)
      ? about(now.axes[0], Math.PI)
      : turnBetween(from, to);
  // What each joint of the chain is turned by, in the scene; the end by nothing.
  const totals = [[0, 0, 0, 1], ...turns].map((turn) => {
    const total = [...turn];
    multiply(total, 0, whole, 0, turn, 0);
    return total;
  });
  for (const [k, j] of chain.entries()) {
    const { parent } = rig.joints[j];
    const own = [...orientations.subarray(4 * j, 4 * j + 4)];
    if (k < chain.length - 1) multiply(own, 0, totals[k], 0, own, 0);
    const above = parent < 0 ? [0, 0, 0, 1] : [...orientations.subarray(4 * parent, 4 * parent + 4)];
    if (k > 0) multiply(above, 0, totals[k - 1], 0, above, 0);
    multiplyInverse(pose.rotations, 4 * j, above, 0, own, 0);
  }
  const reached = turned(whole, from).map((value, axis) => value + top[axis]);
  return Math.hypot(...minus(goal, reached));
}

const opposite = (a: readonly number[], b: readonly number[]): boolean => dot(unit(a), unit(b)) < -1 + 1e-14;

/**
 * Turns a limb about the line from its top to its end so that its first inner joint (knee, elbow) comes to the side of
 * that line on which `toward` lies, a place in the scene. The end stays where it is and keeps its orientation. Where the
 * inner joint or `toward` lies on the line, nothing is done. Changes the local rotations of top and end in `pose`.
 */
export function turnToward(limb: CompiledLimb, pose: Pose, toward: readonly number[]): void {
  const { rig, chain } = limb;
  const matrices = globalMatrices(rig, pose, new Float64Array(16 * rig.joints.length));
  const orientations = globalOrientations(rig, pose, new Float64Array(4 * rig.joints.length));
  const points = chain.map((j) => [...matrices.subarray(16 * j + 12, 16 * j + 15)]);
  const line = minus(points[points.length - 1], points[0]);
  const bones = points.slice(1).reduce((sum, p, k) => sum + Math.hypot(...minus(p, points[k])), 0);
  if (Math.hypot(...line) < ON_LINE * bones) return;
  const along = unit(line);
  const off = (p: readonly number[]) => {
    const way = minus(p, points[0]);
    const part = dot(way, along);
    return way.map((value, axis) => value - part * along[axis]);
  };
  const [from, to] = [off(points[1]), off(toward)];
  if (Math.hypot(...from) < ON_LINE * bones || Math.hypot(...to) < ON_LINE * bones) return;
  const turn = about(along, Math.atan2(dot(cross(from, to), along), dot(from, to)));
  const [top, end] = [chain[0], chain[chain.length - 1]];
  const kept = [...orientations.subarray(4 * end, 4 * end + 4)];
  const { parent } = rig.joints[top];
  const own = [...orientations.subarray(4 * top, 4 * top + 4)];
  multiply(own, 0, turn, 0, own, 0);
  multiplyInverse(
    pose.rotations,
    4 * top,
    parent < 0 ? [0, 0, 0, 1] : [...orientations.subarray(4 * parent, 4 * parent + 4)],
    0,
    own,
    0,
  );
  const aboveEnd = rig.joints[end].parent;
  const turnedAbove = [...orientations.subarray(4 * aboveEnd, 4 * aboveEnd + 4)];
  multiply(turnedAbove, 0, turn, 0, turnedAbove, 0);
  multiplyInverse(pose.rotations, 4 * end, turnedAbove, 0, kept, 0);
}

/** A joint lies on the line of its limb where it is off by less than this part of the sum of the bones. */
const ON_LINE = 1e-4;
