import { multiply, multiplyInverse, normalize, rotate } from '../math/quaternion.js';
import { turnBetween } from '../math/turn.js';
import { type Pose, restPose } from '../rig/pose.js';
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

/** Steps of the spring in a second, at least: coarser ones would cut the goal's way short. */
const STEPS_A_SECOND = 120;
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
  const steps = Math.max(1, Math.ceil(interval * STEPS_A_SECOND));
  const step = springStep(spring, interval / steps);
  const tips = followers.map((j, k) => tipOf(rig, j, followers[k + 1]));
  const late = Math.round(lag / interval);
  const states = new Float64Array(6 * followers.length);
  const goals = new Float64Array(3 * followers.length);
  const pose: Pose = restPose(rig);
  const above = [0, 0, 0, 1];
  const origin = [0, 0, 0];
  const next = [0, 0, 0, 1];
  const place = [0, 0, 0];
  const shown = [0, 0, 0, 1];
  for (let sample = 0; sample < count; sample++) {
    pose.rotations.set(poses.rotations.subarray(4 * n * sample, 4 * n * (sample + 1)));
    pose.translations.set(poses.translations.subarray(3 * n * sample, 3 * n * (sample + 1)));
    globalOf(rig, pose, chain[0], above, origin);
    for (const [k, j] of followers.entries()) {
      // What is followed is what the pose below had `lag` before, joint by joint.
      const seen = Math.max(0, sample - late * (k + 1));
      for (let c = 0; c < 4; c++) shown[c] = poses.rotations[4 * (n * seen + j) + c];
      for (let c = 0; c < 3; c++) place[c] = pose.translations[3 * j + c];
      rotate(place, 0, above, 0, place, 0);
      for (let c = 0; c < 3; c++) origin[c] += place[c];
      multiply(next, 0, above, 0, shown, 0);
      const tip = [...tips[k]];
      rotate(tip, 0, next, 0, tip, 0);
      const length = Math.hypot(...tip);
      const wanted = hanging(tip, hang, length);
      const state = 6 * k;
      for (let c = 0; c < 3; c++) {
        const goal = origin[c] + wanted[c];
        if (sample === 0) {
          states[state + 2 * c] = goal;
          states[state + 2 * c + 1] = 0;
        } else {
          const from = goals[3 * k + c];
          for (let s = 0; s < steps; s++)
            stepSpring(
              step,
              states,
              state + 2 * c,
              from + ((goal - from) * s) / steps,
              from + ((goal - from) * (s + 1)) / steps,
            );
        }
        goals[3 * k + c] = goal;
      }
      const to = [0, 1, 2].map((c) => states[state + 2 * c] - origin[c]);
      // A bone that is turned only about its own line has no way to be led by its tip.
      const turn = turnBetween(tip, Math.hypot(...to) > 1e-9 ? to : wanted);
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

/** A way of some length that is turned down by a part. */
function hanging(way: readonly number[], hang: number, length: number): readonly number[] {
  if (hang === 0) return way;
  const mixed = way.map((value, axis) => value * (1 - hang) + DOWN[axis] * length * hang);
  const now = Math.hypot(...mixed);
  return now > 1e-9 ? mixed.map((value) => (value / now) * length) : way;
}

/** Global orientation and place of a joint, by its own parents alone. */
function globalOf(rig: Rig, pose: Pose, joint: number, orientation: number[], place: number[]): void {
  const line: number[] = [];
  for (let j = joint; j >= 0; j = rig.joints[j].parent) line.unshift(j);
  orientation.splice(0, 4, 0, 0, 0, 1);
  place.fill(0);
  const way = [0, 0, 0];
  for (const j of line) {
    for (let c = 0; c < 3; c++) way[c] = pose.translations[3 * j + c];
    rotate(way, 0, orientation, 0, way, 0);
    for (let c = 0; c < 3; c++) place[c] += way[c];
    multiply(orientation, 0, orientation, 0, pose.rotations, 4 * j);
  }
}
