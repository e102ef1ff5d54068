import { globalMatrices, pointInWorld, restPose } from '../rig/pose.js';
import type { Motion } from '../take/reshape.js';
import { pathsOf } from '../take/watch.js';
import type { Nearness } from './near-body.js';

/** Parts of an arm: nearer than the first a distance is kept, further than the second nothing is. */
const NEAR = 0.25;
const FAR = 0.35;
/**
 * Arms a second: a hand that is slower against a part of the body rests there and keeps its place; one that is faster than the second
 * goes by and keeps its distance alone. Seconds to both sides over which that speed is measured.
 */
const RESTS = 0.6;
const PASSES = 1.5;
const MEASURED = 0.04;
/** Seconds before and after over which a distance comes to be kept, so that no arm jumps. */
const FADE = 0.3;
/** How much more a distance that is kept counts than where the hand is, and the distance below which it counts no more, in arms. */
const FIRM = 1000;
const TOUCHING = 0.02;

/** How long each arm of the capture is from the shoulder to the hand, stretched. */
export function armLengths({ rig }: Motion, { hands }: Nearness): number[] {
  const rest = globalMatrices(rig, restPose(rig), new Float64Array(16 * rig.joints.length));
  return hands.map(({ theirs, theirShoulder }) => {
    let length = 0;
    let from = pointInWorld(rest, theirs.joint, theirs.offset);
    for (let j = theirs.joint; j >= 0; j = rig.joints[j].parent) {
      const to = pointInWorld(rest, j, [0, 0, 0]);
      length += distance(from, to);
      from = to;
      if (j === theirShoulder) break;
    }
    return length;
  });
}

/** A distance of the capture that is kept, sample by sample. */
export interface Kept {
  /** The way from the place of the line that is nearest to the wrist, 3 numbers each, and which part of the line lies before it. */
  readonly apart: Float64Array;
  readonly part: Float64Array;
  /** How much it counts beside where the hand is, which counts 1, and how far the hand rests. */
  readonly counts: Float64Array;
  readonly rests: Float64Array;
}

/** What is kept of every hand to every line, and last of the two hands, which keep their place to one another whatever they do. */
export function keptOf(motion: Motion, { hands, lines }: Nearness, lengths: readonly number[]): Kept[] {
  const spots = [...hands.map(({ theirs }) => theirs), ...lines.flatMap(({ theirs }) => theirs)];
  const paths = pathsOf(motion, spots);
  const kept = hands.flatMap((_, h) =>
    lines.map((_, l) => {
      const line = hands.length + 2 * l;
      const { apart, part } = awayFrom(paths[h], paths[line], paths[line + 1]);
      return weighed(apart, part, lengths[h], slownessOf(apart, lengths[h], motion), motion.interval);
    }),
  );
  if (hands.length < 2) return kept;
  const apart = paths[0].slice();
  for (let i = 0; i < apart.length; i++) apart[i] -= paths[1][i];
  const always = new Float64Array(motion.count).fill(1);
  return [...kept, weighed(apart, always, Math.min(...lengths), always, motion.interval)];
}

/** The ways of a point from the nearest place of a line from `a` to `b`, and which part of it lies before that place. */
function awayFrom(
  point: Float64Array,
  a: Float64Array,
  b: Float64Array,
): { apart: Float64Array; part: Float64Array } {
  const apart = new Float64Array(point.length);
  const part = new Float64Array(point.length / 3);
  for (let o = 0; o < point.length; o += 3) {
    const x = b[o] - a[o];
    const y = b[o + 1] - a[o + 1];
    const z = b[o + 2] - a[o + 2];
    const square = x * x + y * y + z * z;
    const along = (point[o] - a[o]) * x + (point[o + 1] - a[o + 1]) * y + (point[o + 2] - a[o + 2]) * z;
    const u = square > 0 ? Math.min(1, Math.max(0, along / square)) : 0;
    part[o / 3] = u;
    apart[o] = point[o] - (a[o] + u * x);
    apart[o + 1] = point[o + 1] - (a[o + 1] + u * y);
    apart[o + 2] = point[o + 2] - (a[o + 2] + u * z);
  }
  return { apart, part };
}

/** How much a distance counts by how short it is, in arms of a length, and by how slow the hand is. */
function weighed(
  apart: Float64Array,
  part: Float64Array,
  arm: number,
  slow: Float64Array,
  interval: number,
): Kept {
  const arms = new Float64Array(slow.length);
  const near = new Float64Array(slow.length);
  const resting = new Float64Array(slow.length);
  for (let s = 0; s < slow.length; s++) {
    arms[s] = Math.hypot(apart[3 * s], apart[3 * s + 1], apart[3 * s + 2]) / arm;
    near[s] = smooth((FAR - arms[s]) / (FAR - NEAR));
    resting[s] = near[s] * slow[s];
  }
  const counts = spread(near, FADE / interval);
  // Of several that are kept at once the nearest counts most.
  for (let s = 0; s < counts.length; s++)
    counts[s] = Math.min(FIRM, counts[s] / (1 - counts[s])) * (NEAR / Math.max(TOUCHING, arms[s])) ** 2;
  return { apart, part, counts, rests: spread(resting, FADE / interval) };
}

/** How slow what goes by ways, 3 numbers a sample, is: 1 where it rests, 0 where it passes. */
function slownessOf(ways: Float64Array, arm: number, { count, interval }: Motion): Float64Array {
  const reach = Math.max(1, Math.round(MEASURED / interval));
  const slow = new Float64Array(count);
  for (let s = 0; s < count; s++) {
    const a = 3 * Math.max(0, s - reach);
    const b = 3 * Math.min(count - 1, s + reach);
    const way = Math.hypot(ways[b] - ways[a], ways[b + 1] - ways[a + 1], ways[b + 2] - ways[a + 2]);
    const speed = b > a ? way / (((b - a) / 3) * interval * arm) : 0;
    slow[s] = smooth((PASSES - speed) / (PASSES - RESTS));
  }
  return slow;
}

/** The largest of what lies up to `reach` samples beside each, less the further it is away. */
function spread(values: Float64Array, reach: number): Float64Array {
  const out = new Float64Array(values.length);
  for (let s = 0; s < values.length; s++) {
    const value = values[s];
    if (value === 0) continue;
    for (let k = Math.max(0, Math.ceil(s - reach)); k <= Math.min(values.length - 1, s + reach); k++)
      out[k] = Math.max(out[k], value * smooth(1 - Math.abs(k - s) / reach));
  }
  return out;
}

function smooth(u: number): number {
  const t = Math.min(1, Math.max(0, u));
  return t * t * (3 - 2 * t);
}

const distance = (a: readonly number[], b: readonly number[]): number =>
  Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
