import { multiply, multiplyInverse, normalize, rotate } from '../math/quaternion.js';
import { turnBetween } from '../math/turn.js';
import type { Rig } from '../rig/rig.js';
import { type Spring, springStep, stepSpring } from './spring.js';

/** How a chain follows its top. */
export interface Follow extends Spring {
  /** Indices of the joints, each the parent of the next; the first one is led by what is below it. */
  readonly chain: readonly number[];
  /** Seconds by which what a joint follows is behind what it is shown: they add up down the chain. */
  readonly lag: number;
  /** How much a joint hangs down and does not keep the pose below: 0 not at all, 1 like a rope. */
  readonly hang: number;
}

/** Poses of all joints at samples that lie `interval` seconds apart. */
export interface PosesOverTime {
  readonly interval: number;
  readonly count: number;
  /** Local rotations and translations, 4 and 3 numbers a joint, sample after sample. */
  readonly rotations: Float64Array;
  readonly translations: Float64Array;
}

const DOWN = [0, -1, 0];

/**
 * Local rotations of the joints of a chain that follows its top, 4 numbers for each joint but the first and each sample.
 * Of every bone its tip is a weight on a spring that is drawn to where the pose below has it; the bone points to it. It
 * begins in rest, as it is at the first sample. The tip of the last joint is its end site or, where it has none, as far
 * away as its own bone is long.
 */
export function followChain(
  rig: Rig,
  { chain, lag, hang, ...spring }: Follow,
  poses: PosesOverTime,
): Float64Array {
  const n = rig.joints.length;
  const { interval, count } = poses;
  const followers = chain.slice(1);
  const out = new Float64Array(4 * followers.length * count);
  const step = springStep(spring, interval);
  const tips = followers.map((j, k) => tipOf(rig, j, followers[k + 1]));
  const late = Math.round(lag / interval);
  const line = lineTo(rig, chain[0]);
  const states = new Float64Array(6 * followers.length);
  const goals = new Float64Array(3 * followers.length);
  const above = [0, 0, 0, 1];
  const origin = [0, 0, 0];
  const next = [0, 0, 0, 1];
  const place = [0, 0, 0];
  const shown = [0, 0, 0, 1];
  const tip = [0, 0, 0];
  const wanted = [0, 0, 0];
  const to = [0, 0, 0];
  const turn = [0, 0, 0, 1];
  for (let sample = 0; sample < count; sample++) {
    globalOf(poses, n * sample, line, above, origin);
    for (const [k, j] of followers.entries()) {
      // What is followed is what the pose below had `lag` before, joint by joint.
      const seen = Math.max(0, sample - late * (k + 1));
      for (let c = 0; c < 4; c++) shown[c] = poses.rotations[4 * (n * seen + j) + c];
      for (let c = 0; c < 3; c++) place[c] = poses.translations[3 * (n * sample + j) + c];
      rotate(place, 0, above, 0, place, 0);
      for (let c = 0; c < 3; c++) origin[c] += place[c];
      multiply(next, 0, above, 0, shown, 0);
      for (let c = 0; c < 3; c++) tip[c] = tips[k][c];
      rotate(tip, 0, next, 0, tip, 0);
      hangInto(wanted, tip, hang);
      const state = 6 * k;
      for (let c = 0; c < 3; c++) {
        const goal = origin[c] + wanted[c];
        if (sample === 0) {
          states[state + 2 * c] = goal;
        } else {
          // It begins in rest against its top, which may be on its way.
          if (sample === 1) states[state + 2 * c + 1] = (goal - goals[3 * k + c]) / interval;
          // The step is exact for a goal that goes straight on between two samples, however long they take.
          stepSpring(step, states, state + 2 * c, goals[3 * k + c], goal);
        }
        goals[3 * k + c] = goal;
        to[c] = states[state + 2 * c] - origin[c];
      }
      turnInto(turn, tip, to);
      multiply(next, 0, turn, 0, next, 0);
      normalize(next, 0);
      const o = 4 * (followers.length * sample + k);
      multiplyInverse(out, o, above, 0, next, 0);
      for (let c = 0; c < 4; c++) above[c] = next[c];
    }
  }
  return out;
}

/** Where the tip of a joint's bone is, in its own axes: at the next joint of the chain, its end site, or as far on. */
function tipOf(rig: Rig, j: number, following: number | undefined): readonly number[] {
  if (following !== undefined) return rig.joints[following].translation;
  const { ends, translation } = rig.joints[j];
  const site = ends.find((end) => Math.hypot(...end) > 1e-9);
  if (site) return site;
  const child = rig.joints.find(({ parent }) => parent === j);
  return child && Math.hypot(...child.translation) > 1e-9 ? child.translation : translation;
}

/** Writes a way that is turned down by a part and keeps its length. */
function hangInto(out: number[], way: readonly number[], hang: number): void {
  for (let c = 0; c < 3; c++) out[c] = way[c];
  if (hang === 0) return;
  const length = Math.hypot(way[0], way[1], way[2]);
  for (let c = 0; c < 3; c++) out[c] += hang * (DOWN[c] * length - way[c]);
  const now = Math.hypot(out[0], out[1], out[2]);
  // Half way between up and down there is no way.
  for (let c = 0; c < 3; c++) out[c] = now > 1e-9 ? (out[c] / now) * length : way[c];
}

/** Writes the shortest turn from one way to another; none where one of them has no length. */
function turnInto(out: number[], a: readonly number[], b: readonly number[]): void {
  const lengths = Math.sqrt((a[0] ** 2 + a[1] ** 2 + a[2] ** 2) * (b[0] ** 2 + b[1] ** 2 + b[2] ** 2));
  const dot = a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
  if (lengths < 1e-18 || dot < (-1 + 1e-9) * lengths) {
    const turn = turnBetween(a, b);
    for (let c = 0; c < 4; c++) out[c] = turn[c];
    return;
  }
  out[0] = a[1] * b[2] - a[2] * b[1];
  out[1] = a[2] * b[0] - a[0] * b[2];
  out[2] = a[0] * b[1] - a[1] * b[0];
  out[3] = lengths + dot;
  normalize(out, 0);
}

/** The joints from the root down to one. */
function lineTo(rig: Rig, joint: number): number[] {
  const line: number[] = [];
  for (let j = joint; j >= 0; j = rig.joints[j].parent) line.unshift(j);
  return line;
}

/** Global orientation and place of the last joint of a line from the root; `first` is where the joints of the sample begin. */
function globalOf(
  poses: PosesOverTime,
  first: number,
  line: readonly number[],
  orientation: number[],
  place: number[],
): void {
  for (let c = 0; c < 4; c++) orientation[c] = c === 3 ? 1 : 0;
  for (let c = 0; c < 3; c++) place[c] = 0;
  const way = [0, 0, 0];
  for (const j of line) {
    for (let c = 0; c < 3; c++) way[c] = poses.translations[3 * (first + j) + c];
    rotate(way, 0, orientation, 0, way, 0);
    for (let c = 0; c < 3; c++) place[c] += way[c];
    multiply(orientation, 0, orientation, 0, poses.rotations, 4 * (first + j));
  }
}
