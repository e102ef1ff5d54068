import { copyPose, globalMatrices, type Pose, restPose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import { type CompiledHeld, type ContactStep, spanCounts } from './contact-step.js';

/**
 * What a layer that holds contacts knows of the motion below it: where limbs and what can stand were at frames that were
 * looked at, how each span is corrected, how far the root has to come down. It is found when a frame near by is evaluated,
 * and serves until something below changes.
 */
export interface Ground {
  readonly step: ContactStep;
  readonly rig: Rig;
  readonly fps: number;
  /** Of each frame that was looked at, for each limb {@link SIGHT} numbers and the points that can stand, 3 each. */
  readonly sights: Map<number, Float64Array>;
  /** For each limb and each of its spans how it is corrected. */
  readonly corrections: (Corrections | undefined)[][];
  /** By whole frame how far the root has to come down there. */
  readonly needs: Map<number, number>;
  /** What was found for the frame that is evaluated: the correction of each limb, 3 numbers, then the way down. */
  readonly now: Float64Array;
  /** Of each limb how much it is held at that frame, and then 3 numbers: by how much it misses its goal, and its `snap`. */
  readonly active: Float64Array;
  readonly reached: Float64Array;
  readonly pose: Pose;
  readonly matrices: Float64Array;
}

/** Evaluates what is below a layer at a frame into a pose that holds the rest. */
export type Below = (frame: number, pose: Pose) => void;

/** Of a limb: its top, its end, the sum of its bones. */
const SIGHT = 7;

export function newGround(step: ContactStep, rig: Rig, fps: number): Ground {
  return {
    step,
    rig,
    fps,
    sights: new Map(),
    corrections: step.limbs.map(({ spans }) => spans.map(() => undefined)),
    needs: new Map(),
    now: new Float64Array(3 * step.limbs.length + 1),
    active: new Float64Array(step.limbs.length),
    reached: new Float64Array(3 * step.limbs.length),
    pose: restPose(rig),
    matrices: new Float64Array(16 * rig.joints.length),
  };
}

/** Finds the corrections of all limbs at a frame, and how far the root comes down, into `ground.now`. */
export function findGround(ground: Ground, rest: Pose, below: Below, frame: number): void {
  const { step, now } = ground;
  const { limbs, hips, ease } = step;
  const see = (at: number) => sightAt(ground, rest, below, at);
  for (let l = 0; l < limbs.length; l++) {
    now.fill(0, 3 * l, 3 * l + 3);
    ground.active[l] = addCorrection(ground, see, l, frame, now, 3 * l);
  }
  let down = 0;
  if (hips) {
    const reach = ease + 1;
    for (let m = Math.floor(frame - reach) + 1; m < frame + reach; m++) {
      const u = 1 - Math.abs(frame - m) / reach;
      down = Math.max(down, needAt(ground, see, m) * u * u * (3 - 2 * u));
    }
  }
  now[3 * limbs.length] = down;
}

/** Where limbs and points are at a frame, by the layers below. */
function sightAt(ground: Ground, rest: Pose, below: Below, frame: number): Float64Array {
  const { sights, step, rig, pose, matrices } = ground;
  const known = sights.get(frame);
  if (known) return known;
  copyPose(pose, rest);
  below(frame, pose);
  globalMatrices(rig, pose, matrices);
  const sight = new Float64Array(step.limbs.reduce((sum, { points }) => sum + SIGHT + 3 * points.length, 0));
  let o = 0;
  for (const { limb, points } of step.limbs) {
    const { chain } = limb;
    const [top, end] = [16 * chain[0] + 12, 16 * chain[chain.length - 1] + 12];
    for (let axis = 0; axis < 3; axis++) {
      sight[o + axis] = matrices[top + axis];
      sight[o + 3 + axis] = matrices[end + axis];
    }
    for (let k = 1; k < chain.length; k++) {
      const [a, b] = [16 * chain[k - 1] + 12, 16 * chain[k] + 12];
      sight[o + 6] += Math.hypot(
        matrices[b] - matrices[a],
        matrices[b + 1] - matrices[a + 1],
        matrices[b + 2] - matrices[a + 2],
      );
    }
    o += SIGHT;
    for (const { joint, offset } of points) {
      const m = 16 * joint;
      for (let axis = 0; axis < 3; axis++)
        sight[o++] =
          matrices[m + axis] * offset[0] +
          matrices[m + 4 + axis] * offset[1] +
          matrices[m + 8 + axis] * offset[2] +
          matrices[m + 12 + axis];
    }
  }
  sights.set(frame, sight);
  return sight;
}

/** Where a limb begins in a sight. */
function sightOf({ limbs }: ContactStep, l: number): number {
  let o = 0;
  for (let k = 0; k < l; k++) o += SIGHT + 3 * limbs[k].points.length;
  return o;
}

/** Adds what all spans of a limb correct at a frame. Returns the largest of what they count. */
function addCorrection(
  ground: Ground,
  see: See,
  l: number,
  frame: number,
  out: Float64Array,
  o: number,
): number {
  const held = ground.step.limbs[l];
  const { spans } = held;
  let most = 0;
  for (let k = 0; k < spans.length; k++) {
    const counts = spanCounts(held, k, frame);
    if (counts === 0) continue;
    most = Math.max(most, counts);
    const [from, to] = spans[k];
    const at = Math.min(to, Math.max(from, frame)) - from;
    // All steps are a frame long but for the last, which may be shorter.
    const i = Math.min(Math.floor(at), Math.max(0, Math.ceil(to - from) - 1));
    const length = Math.min(1, to - from - i);
    const u = length > 0 ? (at - i) / length : 0;
    const { values, own } = correctionAt(ground, see, l, k, i);
    if (u > 0) correctionAt(ground, see, l, k, i + 1);
    for (let axis = 0; axis < 3; axis++) {
      const a = values[3 * i + axis];
      out[o + axis] += counts * ((u === 0 ? a : (1 - u) * a + u * values[3 * i + 3 + axis]) - own[axis]);
    }
  }
  return most;
}

/** The corrections of a span as far as they were asked for: from its middle on, to both sides. */
interface Corrections {
  /** Frames in the span at which there is one, a frame apart but for the last. */
  readonly count: number;
  /** 3 numbers each; across the floor less `own` they are what keeps the point that stands where it is in the middle. */
  readonly values: Float64Array;
  readonly own: Float64Array;
  /** The first and the last that are known. */
  known: [number, number];
}

type See = (frame: number) => Float64Array;

/** The corrections of a span, with one and all between it and the middle found. */
function correctionAt(ground: Ground, see: See, l: number, k: number, i: number): Corrections {
  ground.corrections[l][k] ??= beginCorrections(ground.step, see, l, k);
  const table = ground.corrections[l][k]!;
  while (table.known[0] > i) extend(ground.step, see, l, k, table, -1);
  while (table.known[1] < i) extend(ground.step, see, l, k, table, 1);
  return table;
}

/** The corrections of a span on both sides of its middle. */
function beginCorrections(step: ContactStep, see: See, l: number, k: number): Corrections {
  const [from, to] = step.limbs[l].spans[k];
  const count = Math.ceil(to - from) + 1;
  const middle = (to - from) / 2;
  const i = Math.min(Math.floor(middle), Math.max(0, count - 2));
  const values = new Float64Array(3 * count);
  const table: Corrections = { count, values, own: new Float64Array(3), known: [i, i] };
  values[3 * i + 1] = -lowest(step, l, see(i + 1 < count ? from + i : to));
  if (count === 1) return table;
  extend(step, see, l, k, table, 1);
  const u = (middle - i) / Math.min(1, to - from - i);
  for (const axis of [0, 2]) table.own[axis] = u * values[3 * i + 3 + axis];
  return table;
}

/** Finds the next correction on a side of those that are known. */
function extend(
  step: ContactStep,
  see: See,
  l: number,
  k: number,
  { count, values, known }: Corrections,
  side: -1 | 1,
): void {
  const held = step.limbs[l];
  const [from, to] = held.spans[k];
  const at = known[side < 0 ? 0 : 1];
  const next = at + side;
  const frameOf = (i: number) => (i + 1 < count ? from + i : to);
  const [a, b] = [see(frameOf(Math.min(at, next))), see(frameOf(Math.max(at, next)))];
  const first = sightOf(step, l) + SIGHT;
  const p = first + 3 * standingPoint(held, a, b, first);
  for (const axis of [0, 2])
    values[3 * next + axis] = values[3 * at + axis] - side * (b[p + axis] - a[p + axis]);
  values[3 * next + 1] = -lowest(step, l, side < 0 ? a : b);
  known[side < 0 ? 0 : 1] = next;
}

/** How high the lowest point of a limb is above its floor. */
function lowest(step: ContactStep, l: number, sight: Float64Array): number {
  const { points } = step.limbs[l];
  const first = sightOf(step, l) + SIGHT;
  let low = Number.POSITIVE_INFINITY;
  for (let p = 0; p < points.length; p++) low = Math.min(low, sight[first + 3 * p + 1] - points[p].floor);
  return low;
}

/** Which point stands from one sight to the next: the one lowest above its floor over both. */
function standingPoint({ points }: CompiledHeld, a: Float64Array, b: Float64Array, first: number): number {
  let best = 0;
  let least = Number.POSITIVE_INFINITY;
  for (let p = 0; p < points.length; p++) {
    const height = a[first + 3 * p + 1] + b[first + 3 * p + 1] - 2 * points[p].floor;
    if (height < least) {
      least = height;
      best = p;
    }
  }
  return best;
}

const way = new Float64Array(3);

/** How far the root has to come down at a whole frame so that every limb which stands is long enough. */
function needAt(ground: Ground, see: See, frame: number): number {
  const { needs, step } = ground;
  const known = needs.get(frame);
  if (known !== undefined) return known;
  let most = 0;
  for (let l = 0; l < step.limbs.length; l++) {
    way.fill(0);
    const counts = addCorrection(ground, see, l, frame, way, 0);
    if (counts === 0) continue;
    const sight = see(frame);
    const o = sightOf(step, l);
    for (let axis = 0; axis < 3; axis++) way[axis] += sight[o + 3 + axis] - sight[o + axis];
    const R = 0.999 * sight[o + 6];
    const r = Math.hypot(way[0], way[2]);
    const u = Math.min(1, Math.max(0, (R - r) / (0.1 * R)));
    const lacks = -way[1] - Math.sqrt(Math.max(0, R * R - r * r));
    most = Math.max(most, counts * u * u * (3 - 2 * u) * Math.min(0.15 * R, Math.max(0, lacks)));
  }
  needs.set(frame, most);
  return most;
}
