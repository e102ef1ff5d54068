import type { Placed } from '../../rig/placed.js';
import { copyPose, globalMatrices, globalOrientations, type Pose, restPose } from '../../rig/pose.js';
import type { Rig } from '../../rig/rig.js';
import type { PoseBlock } from '../pose-block.js';
import { type Below, type CompiledHeld, type ContactStep, countsAt, spanCounts } from './contact-step.js';
import { type ContactTurns, newContactTurns } from './contact-turns.js';
import { keepPose, newPosesAhead, type PosesAhead } from './poses-ahead.js';
import { SIGHT, sightOf, sightSize, turnIntoScene, writeSight } from './sights.js';
import { stepAt, stepsOf } from './span-steps.js';

/**
 * What a layer that holds contacts knows of the motion below it: where limbs and what can stand were at frames that were
 * looked at, how each span is corrected, how far the root has to come down. It is found when a frame near by is evaluated,
 * and serves until something below changes.
 */
export interface ContactCache {
  readonly step: ContactStep;
  readonly rig: Rig;
  readonly fps: number;
  /** For each layer below whether it decides where limbs are: only those are evaluated at other frames. */
  readonly seen: Uint8Array;
  /**
   * Whole poses of frames ahead; undefined where something else below reaches, of which each frame has to leave behind how
   * it did.
   */
  readonly ahead: PosesAhead | undefined;
  /** Room to see many frames at once in, made when it is needed; caches that follow one another share it. */
  readonly room: { block?: PoseBlock };
  /** The frame around which was looked last. */
  last: number;
  /** Of each frame that was looked at, for each limb {@link SIGHT} numbers and the points that can stand, 3 each. */
  readonly sights: Map<number, Float64Array>;
  /** For each limb and each of its spans how it is corrected. */
  readonly corrections: (Corrections | undefined)[][];
  /** By whole frame how far each root has to come down there. */
  readonly needs: Map<number, Float64Array>;
  /**
   * What was found for the frame that is evaluated: where limbs and points are there, the correction of each limb in the scene, 3
   * numbers, and then the way down of each root.
   */
  readonly here: Float64Array;
  readonly now: Float64Array;
  /** Of each limb how much it is held at that frame, and then 3 numbers: by how much it misses its goal, and its `snap`. */
  readonly active: Float64Array;
  readonly reached: Float64Array;
  /** Room for the goals of all limbs, for one correction, and for where joints are at other frames. */
  readonly goals: Float64Array;
  readonly way: Float64Array;
  readonly pose: Pose;
  readonly matrices: Float64Array;
  readonly orientations: Float64Array;
  /** What turns ends back. */
  readonly turns: ContactTurns;
}

export function newContactCache(
  step: ContactStep,
  rig: Rig,
  fps: number,
  like: readonly number[],
  seen: Uint8Array,
  keepsPoses: boolean,
  room: ContactCache['room'] = {},
): ContactCache {
  const { limbs } = step;
  return {
    step,
    rig,
    fps,
    seen,
    // As far as is looked ahead, and half a step: 0.8 seconds.
    ahead: keepsPoses ? newPosesAhead(4 * step.ease + 8) : undefined,
    room,
    last: Number.NaN,
    sights: new Map(),
    corrections: limbs.map(({ spans }) => spans.map(() => undefined)),
    needs: new Map(),
    here: new Float64Array(sightSize(step)),
    now: new Float64Array(3 * limbs.length + step.lowered.length),
    active: new Float64Array(limbs.length),
    reached: new Float64Array(3 * limbs.length),
    goals: new Float64Array(3 * limbs.length),
    way: new Float64Array(3),
    pose: restPose(rig),
    matrices: new Float64Array(16 * rig.joints.length),
    orientations: new Float64Array(4 * rig.joints.length),
    turns: newContactTurns(step, rig, like),
  };
}

/** Whether a frame follows the one around which was looked last, as while it plays. */
export const follows = ({ last }: ContactCache, frame: number): boolean => frame > last && frame <= last + 1;

/**
 * Looks at what is below at the frames that a frame's corrections hang on, and finds how far the root comes down there.
 * Evaluates what is below, so that nothing of the frame itself may be under way. Where `whole` is given, it evaluates whole
 * poses of frames ahead, which are kept for when they come.
 */
export function lookAround(
  cache: ContactCache,
  rest: Pose,
  below: Below,
  frame: number,
  whole: Below | undefined,
): void {
  const { step, now } = cache;
  const { limbs, lowered, ease } = step;
  cache.last = frame;
  const see = (at: number) => sightAt(cache, rest, below, at, at > frame ? whole : undefined);
  for (let l = 0; l < limbs.length; l++) knowSpans(cache, see, l, frame);
  const downs = 3 * limbs.length;
  now.fill(0, downs);
  if (lowered.length === 0) return;
  const reach = ease + 1;
  for (let m = Math.floor(frame - reach) + 1; m < frame + reach; m++) {
    // It holds for a frame on both sides, so that nothing ripples between whole frames.
    const u = Math.min(1, (reach - Math.abs(frame - m)) / ease);
    const needs = needAt(cache, see, m);
    for (let r = 0; r < lowered.length; r++)
      now[downs + r] = Math.max(now[downs + r], needs[r] * u * u * (3 - 2 * u));
  }
}

/**
 * Finds the corrections of all limbs at a frame into `cache.now`, after {@link lookAround}. `placed` tells where joints
 * are there by what is below.
 */
export function findCorrections(
  cache: ContactCache,
  { matrices, orientations }: Placed,
  frame: number,
): void {
  const { step, here, now, active } = cache;
  writeSight(step, matrices, orientations, here);
  now.fill(0, 0, 3 * step.limbs.length);
  for (let l = 0; l < step.limbs.length; l++) {
    active[l] = addCorrection(cache, l, frame, here, now, 3 * l);
    turnIntoScene(step, here, now, 3 * l);
  }
}

/** Where limbs and points are at a frame, by the layers below. */
function sightAt(
  cache: ContactCache,
  rest: Pose,
  below: Below,
  frame: number,
  whole: Below | undefined,
): Float64Array {
  const { sights, rig, pose, ahead } = cache;
  const known = sights.get(frame);
  if (known) return known;
  copyPose(pose, rest);
  if (whole && ahead) {
    whole(frame, pose);
    keepPose(ahead, rig, frame, pose);
  } else below(frame, pose);
  noteSight(cache, frame, pose);
  return sights.get(frame)!;
}

/** Notes where limbs and points are at a frame, by the pose that the layers below have there. */
export function noteSight(cache: ContactCache, frame: number, pose: Pose): void {
  const { sights, step, rig, matrices, orientations } = cache;
  if (sights.has(frame)) return;
  globalMatrices(rig, pose, matrices);
  if (step.space >= 0) globalOrientations(rig, pose, orientations);
  const sight = new Float64Array(sightSize(step));
  writeSight(step, matrices, orientations, sight);
  sights.set(frame, sight);
}

/** Finds the corrections of all spans of a limb that count at a frame. */
function knowSpans(cache: ContactCache, see: See, l: number, frame: number): void {
  const held = cache.step.limbs[l];
  for (let k = 0; k < held.spans.length; k++) {
    if (spanCounts(held, k, frame) === 0) continue;
    const [from, to] = held.spans[k];
    const at = Math.min(to, Math.max(from, frame)) - from;
    const i = stepAt(stepsOf(held, k), at);
    knowCorrection(cache, see, l, k, i);
    if (at > i) knowCorrection(cache, see, l, k, i + 1);
  }
}

/**
 * Adds what all spans of a limb correct at a frame, after {@link knowSpans}; `sight` is that of the frame. Returns the
 * largest of what they count.
 */
function addCorrection(
  { step, corrections }: ContactCache,
  l: number,
  frame: number,
  sight: Float64Array,
  out: Float64Array,
  o: number,
): number {
  const held = step.limbs[l];
  const { spans } = held;
  let most = 0;
  for (let k = 0; k < spans.length; k++) {
    const counts = spanCounts(held, k, frame);
    if (counts === 0) continue;
    most = Math.max(most, counts);
    const [from, to] = spans[k];
    const at = Math.min(to, Math.max(from, frame)) - from;
    const { count, values, stands, starts, own } = corrections[l][k]!;
    const i = stepAt(count, at);
    const last = at === to - from ? count - 1 : i;
    if (at === last || last === count - 1) {
      for (let axis = 0; axis < 3; axis++) out[o + axis] += counts * (values[3 * last + axis] - own[axis]);
      continue;
    }
    // Between two frames the point that stands stays where it is, and the lowest is on its floor.
    const p = sightOf(step, l) + SIGHT + 3 * stands[i];
    out[o] += counts * (values[3 * i] - (sight[p] - starts[2 * i]) - own[0]);
    out[o + 1] += counts * -lowest(step, l, sight);
    out[o + 2] += counts * (values[3 * i + 2] - (sight[p + 2] - starts[2 * i + 1]) - own[2]);
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
  /** From each of these frames to the next the point that stands, and where across the floor it begins: 2 numbers. */
  readonly stands: Int32Array;
  readonly starts: Float64Array;
  /** The first and the last that are known. */
  known: [number, number];
}

type See = (frame: number) => Float64Array;

/** Finds a correction of a span, with all between it and the middle. */
function knowCorrection(cache: ContactCache, see: See, l: number, k: number, i: number): void {
  cache.corrections[l][k] ??= beginCorrections(cache.step, see, l, k);
  const table = cache.corrections[l][k]!;
  while (table.known[0] > i) extend(cache.step, see, l, k, table, -1);
  while (table.known[1] < i) extend(cache.step, see, l, k, table, 1);
}

/** The corrections of a span on both sides of its middle. */
function beginCorrections(step: ContactStep, see: See, l: number, k: number): Corrections {
  const held = step.limbs[l];
  const [from, to] = held.spans[k];
  const count = stepsOf(held, k);
  const middle = (to - from) / 2;
  const i = stepAt(count, middle);
  const table: Corrections = {
    count,
    values: new Float64Array(3 * count),
    own: new Float64Array(3),
    stands: new Int32Array(count),
    starts: new Float64Array(2 * count),
    known: [i, i],
  };
  table.values[3 * i + 1] = -lowest(step, l, see(i + 1 < count ? from + i : to));
  if (count === 1) return table;
  extend(step, see, l, k, table, 1);
  if (middle > i) {
    const p = sightOf(step, l) + SIGHT + 3 * table.stands[i];
    const sight = see(from + middle);
    table.own[0] = table.starts[2 * i] - sight[p];
    table.own[2] = table.starts[2 * i + 1] - sight[p + 2];
  }
  return table;
}

/** Finds the next correction on a side of those that are known. */
function extend(
  step: ContactStep,
  see: See,
  l: number,
  k: number,
  { count, values, stands, starts, known }: Corrections,
  side: -1 | 1,
): void {
  const held = step.limbs[l];
  const [from, to] = held.spans[k];
  const at = known[side < 0 ? 0 : 1];
  const next = at + side;
  const first = Math.min(at, next);
  const a = see(from + first);
  const b = see(first + 2 < count ? from + first + 1 : to);
  const points = sightOf(step, l) + SIGHT;
  const stand = standingPoint(held, a, b, points);
  const p = points + 3 * stand;
  stands[first] = stand;
  starts[2 * first] = a[p];
  starts[2 * first + 1] = a[p + 2];
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

/** How far each root has to come down at a whole frame so that every limb of its character which stands is long enough. */
function needAt(cache: ContactCache, see: See, frame: number): Float64Array {
  const { needs, step, way } = cache;
  const known = needs.get(frame);
  if (known) return known;
  const most = new Float64Array(step.lowered.length);
  for (let l = 0; l < step.limbs.length; l++) {
    if (!countsAt(step.limbs[l], frame)) continue;
    knowSpans(cache, see, l, frame);
    const sight = see(frame);
    way.fill(0);
    const counts = addCorrection(cache, l, frame, sight, way, 0);
    turnIntoScene(step, sight, way, 0);
    const o = sightOf(step, l);
    for (let axis = 0; axis < 3; axis++) way[axis] += sight[o + 3 + axis] - sight[o + axis];
    const R = 0.999 * sight[o + 6];
    const r = Math.hypot(way[0], way[2]);
    const u = Math.min(1, Math.max(0, (R - r) / (0.1 * R)));
    const lacks = -way[1] - Math.sqrt(Math.max(0, R * R - r * r));
    const need = counts * u * u * (3 - 2 * u) * Math.min(0.15 * R, Math.max(0, lacks));
    const root = step.lowered.indexOf(step.limbs[l].root);
    most[root] = Math.max(most[root], need);
  }
  needs.set(frame, most);
  return most;
}
