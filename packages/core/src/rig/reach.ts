import { multiply, multiplyInverse, rotate } from '../math/quaternion.js';
import { BACKWARDS, bendAngle } from './bend-angle.js';
import { type Hanging, hangIn } from './hang.js';
import type { Limb } from './limbs.js';
import { type Placed, placePose, turnChain } from './placed.js';
import { type Pose, restPose } from './pose.js';
import { withoutFrames } from './rest.js';
import { jointIndex, type Rig } from './rig.js';

/**
 * A limb made ready to reach: what does not change from pose to pose, and room for what does. Of `n` bones there are
 * `n - 1` inner joints.
 */
export interface CompiledLimb {
  readonly name: string;
  /** Indices of the joints, from the top to the end. */
  readonly chain: readonly number[];
  /** For each inner joint its hinge, in the axes of the joint above it in the chain. */
  readonly hinges: readonly (readonly number[])[];
  /** Where it hangs in place of bending, and has no hinges. */
  readonly hanging: Hanging | undefined;
  /** Bones and axes of the inner joints in the scene, 3 numbers each. */
  readonly bones: Float64Array;
  readonly axes: Float64Array;
  /** What each joint of the chain but the end is turned by in the scene, then the orientation that the end keeps. */
  readonly turns: Float64Array;
  /**
   * What the last reach was like, in radians: by how much an inner joint that was bent backwards came round to bend
   * forwards, and by how much the limb should have turned towards its direction. Both move far for a small move of the goal.
   */
  readonly snap: Float64Array;
}

const RADIANS = Math.PI / 180;
/** Between these angles the axis goes over from the hinge to the plane in which the joint is bent. */
const STRAIGHT = 2 * RADIANS;
const PLANE = 8 * RADIANS;
/**
 * A joint is bent backwards where it is bent by more than this, and where the cosine between its own axis and the hinge is
 * below this: which way a straight joint goes is never left to rounding, nor that of one that is bent sideways.
 */
const BENT = 0.1 * RADIANS;
const SIDEWAYS = -0.01;

/** Thrown where a limb cannot bend: a bone without length, or a bend along its bone. */
export class LimbError extends Error {}

/** Makes a limb of a rig ready. Throws {@link LimbError}. */
export function compileLimb(scene: Rig, limb: Limb): CompiledLimb {
  const rig = withoutFrames(scene);
  const chain = limb.chain.map((name) => jointIndex(rig, name));
  const { matrices, orientations } = placePose(rig, restPose(rig));
  const bones = chain
    .slice(1)
    .map((j, k) => [12, 13, 14].map((at) => matrices[16 * j + at] - matrices[16 * chain[k] + at]));
  if (bones.some((bone) => Math.hypot(...bone) < 1e-12))
    throw new LimbError(`${limb.name} has a bone without length`);
  const hinges = (limb.hangs ? [] : bones.slice(0, -1)).map((bone, k) => {
    // From one inner joint to the next it is turned round: knee forward, hock back.
    const [x, y, z] = limb.bend.map((value) => (k % 2 === 0 ? value : -value));
    const [a, b, c] = bone.map((value) => value / Math.hypot(...bone));
    const hinge = [y * c - z * b, z * a - x * c, x * b - y * a];
    const length = Math.hypot(...hinge);
    if (length < 1e-9 * Math.hypot(...limb.bend))
      throw new LimbError(`the bend of ${limb.name} lies along its bone`);
    const back = [0, 0, 0, 1];
    multiplyInverse(back, 0, orientations, 4 * chain[k], back, 0);
    const own = hinge.map((value) => value / length);
    rotate(own, 0, back, 0, own, 0);
    return own;
  });
  return {
    name: limb.name,
    chain,
    hinges,
    hanging: limb.hangs && {
      lengths: new Float64Array(bones.length),
      links: new Float64Array(2 * bones.length),
    },
    bones: new Float64Array(3 * bones.length),
    axes: new Float64Array(3 * hinges.length),
    turns: new Float64Array(4 * chain.length),
    snap: new Float64Array(2),
  };
}

/** Whether its only inner joint is bent backwards, and the angle by which it is bent: of the limb read last. */
let backwards = false;
let bentBy = 0;

const hinge = new Float64Array(3);

/** Reads the bones of a limb as it stands, and the axes about which its inner joints turn. */
function readLimb({ chain, hinges, bones, axes }: CompiledLimb, { matrices, orientations }: Placed): void {
  for (let k = 0; k + 1 < chain.length; k++)
    for (let axis = 0; axis < 3; axis++)
      bones[3 * k + axis] = matrices[16 * chain[k + 1] + 12 + axis] - matrices[16 * chain[k] + 12 + axis];
  backwards = false;
  bentBy = 0;
  for (let k = 0; k < hinges.length; k++) {
    rotate(hinge, 0, orientations, 4 * chain[k], hinges[k] as number[], 0);
    const a = 3 * k;
    const b = a + 3;
    let x = bones[a + 1] * bones[b + 2] - bones[a + 2] * bones[b + 1];
    let y = bones[a + 2] * bones[b] - bones[a] * bones[b + 2];
    let z = bones[a] * bones[b + 1] - bones[a + 1] * bones[b];
    const length = Math.sqrt(x * x + y * y + z * z);
    let bent = Math.atan2(
      length,
      bones[a] * bones[b] + bones[a + 1] * bones[b + 1] + bones[a + 2] * bones[b + 2],
    );
    let side = 1;
    const along = x * hinge[0] + y * hinge[1] + z * hinge[2];
    if (along < SIDEWAYS * length && bent > BENT && bent < BACKWARDS) {
      side = -1;
      bent = -bent;
    }
    if (hinges.length === 1) {
      backwards = bent < 0;
      bentBy = bent;
    }
    const t = Math.min(1, Math.max(0, (Math.abs(bent) - STRAIGHT) / PLANE));
    const u = length > 0 ? t * t * (3 - 2 * t) : 0;
    const scale = length > 0 ? (side * u) / length : 0;
    x = (1 - u) * hinge[0] + scale * x;
    y = (1 - u) * hinge[1] + scale * y;
    z = (1 - u) * hinge[2] + scale * z;
    const whole = Math.sqrt(x * x + y * y + z * z);
    axes[a] = x / whole;
    axes[a + 1] = y / whole;
    axes[a + 2] = z / whole;
  }
}

const from = new Float64Array(3);
const to = new Float64Array(3);
const whole = new Float64Array(4);

/** Writes a turn by an angle about an axis of length 1. */
function setTurn(out: Float64Array, o: number, axis: Float64Array, a: number, angle: number): void {
  const sin = Math.sin(angle / 2);
  out[o] = axis[a] * sin;
  out[o + 1] = axis[a + 1] * sin;
  out[o + 2] = axis[a + 2] * sin;
  out[o + 3] = Math.cos(angle / 2);
}

/**
 * Brings the end of a limb to a goal in the scene: the inner joints bend, then the whole limb turns about its top, and
 * the end keeps the orientation that it had. Out of reach it stretches towards the goal. Changes the local rotations of
 * the chain and where it and what hangs below it is. A limb that hangs does so in place of bending; `alpha` is for it alone, see
 * {@link hangIn}. Returns how far the end is from the goal then, in units of the rig.
 */
export function reachIn(
  placed: Placed,
  limb: CompiledLimb,
  goal: Float64Array | readonly number[],
  alpha = 1,
): number {
  if (limb.hanging) return hangIn(placed, limb, limb.hanging, goal, alpha);
  const { matrices } = placed;
  const { chain, bones, axes, turns, snap } = limb;
  snap.fill(0);
  const inner = chain.length - 2;
  const top = 16 * chain[0] + 12;
  const end = 16 * chain[inner + 1] + 12;
  let off = 0;
  for (let axis = 0; axis < 3; axis++) {
    off += (goal[axis] - matrices[end + axis]) ** 2;
    to[axis] = goal[axis] - matrices[top + axis];
  }
  if (off === 0) return 0;
  readLimb(limb, placed);
  const distance = Math.sqrt(to[0] * to[0] + to[1] * to[1] + to[2] * to[2]);
  const angle = bendAngle(bones, axes, distance, backwards ? bentBy : undefined);
  if (backwards && bentBy + angle > 0) snap[0] = angle;
  // Axes further down turn along, so the turn of a joint is that of the one above after its own as it stands.
  turns.fill(0, 0, 4);
  turns[3] = 1;
  for (let axis = 0; axis < 3; axis++) from[axis] = bones[axis];
  for (let k = 0; k < inner; k++) {
    setTurn(whole, 0, axes, 3 * k, angle);
    multiply(turns, 4 * k + 4, turns, 4 * k, whole, 0);
    rotate(hinge, 0, turns, 4 * k + 4, bones, 3 * k + 3);
    for (let axis = 0; axis < 3; axis++) from[axis] += hinge[axis];
  }
  setWhole(axes);
  for (let k = 0; k <= inner; k++) multiply(turns, 4 * k, whole, 0, turns, 4 * k);
  turnChain(placed, limb);
  let missed = 0;
  for (let axis = 0; axis < 3; axis++) missed += (goal[axis] - matrices[end + axis]) ** 2;
  return Math.sqrt(missed);
}

/** Writes the smallest turn that brings `from` into the direction of `to`, half a turn about the first hinge if opposite. */
function setWhole(axes: Float64Array): void {
  const a = Math.sqrt(from[0] * from[0] + from[1] * from[1] + from[2] * from[2]);
  const b = Math.sqrt(to[0] * to[0] + to[1] * to[1] + to[2] * to[2]);
  whole.fill(0);
  whole[3] = 1;
  if (a < 1e-12 || b < 1e-12) return;
  const dot = (from[0] * to[0] + from[1] * to[1] + from[2] * to[2]) / (a * b);
  if (dot < -1 + 1e-14) {
    setTurn(whole, 0, axes, 0, Math.PI);
    return;
  }
  const k = a * b;
  whole[0] = (from[1] * to[2] - from[2] * to[1]) / k;
  whole[1] = (from[2] * to[0] - from[0] * to[2]) / k;
  whole[2] = (from[0] * to[1] - from[1] * to[0]) / k;
  whole[3] = 1 + dot;
  const length = Math.hypot(whole[0], whole[1], whole[2], whole[3]);
  for (let c = 0; c < 4; c++) whole[c] /= length;
}

/** {@link reachIn} for a pose whose places are not known. */
export const reach = (rig: Rig, limb: CompiledLimb, pose: Pose, goal: readonly number[]): number =>
  reachIn(placePose(rig, pose), limb, goal);

/**
 * How far off the line from top to end a joint and the place it turns toward have to be, as parts of the sum of the bones:
 * up to the first nothing is turned, and from there it comes over the second.
 */
const ON_LINE = 0.002;
const OFF_LINE = 0.02;

/** A line from top to end that is shorter than this part of the bones has no direction. */
const NO_LINE = 1e-4;

const offKnee = new Float64Array(3);
const offGoal = new Float64Array(3);

/** How far the last {@link angleToward} counts, by how far off the line the two are: 0 to 1. */
let certain = 0;

/**
 * The signed angle by which a limb would turn about the line from its top to its end so that its first inner joint
 * (knee, elbow) comes to the side of that line on which `toward` lies, a place in the scene; 0 where one of them lies on
 * the line. Leaves that line in `to`, of length 1, and how far the angle counts in `certain`.
 */
function angleToward(
  { chain }: CompiledLimb,
  { matrices }: Placed,
  toward: Float64Array | readonly number[],
): number {
  const top = 16 * chain[0] + 12;
  let bones = 0;
  let line = 0;
  for (let axis = 0; axis < 3; axis++) {
    to[axis] = matrices[16 * chain[chain.length - 1] + 12 + axis] - matrices[top + axis];
    line += to[axis] * to[axis];
  }
  for (let k = 1; k < chain.length; k++) {
    const [a, b] = [16 * chain[k - 1] + 12, 16 * chain[k] + 12];
    bones += Math.hypot(
      matrices[b] - matrices[a],
      matrices[b + 1] - matrices[a + 1],
      matrices[b + 2] - matrices[a + 2],
    );
  }
  line = Math.sqrt(line);
  certain = 0;
  if (line < NO_LINE * bones) return 0;
  for (let axis = 0; axis < 3; axis++) {
    to[axis] /= line;
    offKnee[axis] = matrices[16 * chain[1] + 12 + axis] - matrices[top + axis];
    offGoal[axis] = toward[axis] - matrices[top + axis];
  }
  takeAlong(offKnee);
  takeAlong(offGoal);
  const off = Math.min(size(offKnee), size(offGoal)) / bones;
  const u = Math.min(1, (off - ON_LINE) / OFF_LINE);
  if (!(u > 0)) return 0;
  certain = u * u * (3 - 2 * u);
  const sin =
    (offKnee[1] * offGoal[2] - offKnee[2] * offGoal[1]) * to[0] +
    (offKnee[2] * offGoal[0] - offKnee[0] * offGoal[2]) * to[1] +
    (offKnee[0] * offGoal[1] - offKnee[1] * offGoal[0]) * to[2];
  return Math.atan2(sin, offKnee[0] * offGoal[0] + offKnee[1] * offGoal[1] + offKnee[2] * offGoal[2]);
}

const size = (way: Float64Array): number => Math.sqrt(way[0] * way[0] + way[1] * way[1] + way[2] * way[2]);

/** Takes from a way what lies along `to`. */
function takeAlong(way: Float64Array): void {
  const along = way[0] * to[0] + way[1] * to[1] + way[2] * to[2];
  for (let axis = 0; axis < 3; axis++) way[axis] -= along * to[axis];
}

/**
 * Turns a limb about the line from its top to its end by `alpha` times the angle that brings its first inner joint to
 * the side of that line on which `toward` lies. The end stays where it is and keeps its orientation. Where the inner joint
 * or `toward` is near the line, it turns by less, and on the line not at all.
 */
export function turnTowardIn(
  placed: Placed,
  limb: CompiledLimb,
  toward: Float64Array | readonly number[],
  alpha = 1,
): void {
  const angle = angleToward(limb, placed, toward);
  const { turns, chain, snap } = limb;
  snap[1] = certain * Math.abs(angle);
  if (angle === 0) return;
  setTurn(whole, 0, to, 0, alpha * certain * angle);
  for (let k = 0; k + 1 < chain.length; k++) for (let c = 0; c < 4; c++) turns[4 * k + c] = whole[c];
  turnChain(placed, limb);
}

/** {@link turnTowardIn} for a pose whose places are not known. */
export const turnToward = (rig: Rig, limb: CompiledLimb, pose: Pose, toward: readonly number[]): void =>
  turnTowardIn(placePose(rig, pose), limb, toward);
