import { multiply, multiplyInverse } from '../math/quaternion.js';
import { fromRotationVector, toRotationVector } from '../math/rotation-vector.js';
import { compiledLimbs } from '../rig/compiled-limbs.js';
import type { LimbCorrections } from '../rig/limbs.js';
import { type Placed, placeAll, placePose } from '../rig/placed.js';
import { restPose } from '../rig/pose.js';
import { type CompiledLimb, reachIn } from '../rig/reach.js';
import type { Contact } from '../take/contacts.js';
import type { Motion } from '../take/reshape.js';
import { readSample } from '../take/sample.js';
import type { Track } from '../take/take.js';
import { localFit } from './local-fit.js';

/** First and last sample of a stretch that is smoothed, both included. */
export type Stretch = readonly [from: number, to: number];

/** Seconds on both sides of a sample that say what it would be without noise, and at least so many samples. */
const WIDTH = 0.07;
const FEWEST = 3.5;
/** Seconds beside a stretch over which smoothing comes and goes, and beside a stance over which a foot is led to its place. */
const BESIDE = 0.15;
const LED = 0.1;
/** Nothing was said of the limbs of a capture. */
const AS_FOUND: LimbCorrections = {};

/**
 * Takes noise and leaps of single samples out of stretches of a motion: every joint goes by local parabolas, which keep
 * peaks. A foot that stands, by `contacts`, keeps its place: its leg reaches for where it stood, itself without noise and
 * looking no further than its stance. Elsewhere nothing is changed, to the bit.
 */
export function smoothStretches(
  motion: Motion,
  stretches: readonly Stretch[],
  contacts: readonly Contact[],
): Motion {
  const part = partsOf(motion, stretches);
  if (part.every((u) => u === 0)) return motion;
  const width = Math.max(FEWEST, WIDTH / motion.interval);
  const smooth = {
    ...motion,
    translations: smoothTrack(motion.translations, motion.count, part, width),
    rotations: smoothTrack(motion.rotations, motion.count, part, width),
  };
  return keepFeet(motion, smooth, part, contacts, width);
}

const ease = (u: number): number => (u <= 0 ? 0 : u >= 1 ? 1 : u * u * (3 - 2 * u));

/** How much of each sample is smoothed: all in the stretches, less and less beside them. */
function partsOf({ count, interval }: Motion, stretches: readonly Stretch[]): Float64Array {
  const beside = BESIDE / interval;
  return Float64Array.from({ length: count }, (_, s) =>
    Math.max(0, ...stretches.map(([from, to]) => ease(1 - Math.max(from - s, s - to, 0) / beside))),
  );
}

function smoothTrack(track: Track, count: number, part: Float64Array, width: number): Track {
  const { size, joints, values: from } = track;
  const stride = size * joints.length;
  const values = from.slice();
  const reach = Math.ceil(width) - 1;
  const around = new Float64Array(3 * (2 * reach + 1));
  const fit = new Float64Array(3);
  const turn = new Float64Array(4);
  for (let entry = 0; entry < joints.length; entry++)
    for (let s = 0; s < count; s++) {
      if (part[s] === 0) continue;
      const [first, last] = [Math.max(0, s - reach), Math.min(count - 1, s + reach)];
      const at = s * stride + entry * size;
      for (let k = first; k <= last; k++) {
        const o = 3 * (k - first);
        const from4 = k * stride + entry * size;
        if (size === 4) {
          // What the sample is turned by in its own axes to come to the other one: q(s)⁻¹ · q(k).
          multiplyInverse(turn, 0, from, at, from, from4);
          toRotationVector(around, o, turn, 0);
        } else for (let axis = 0; axis < 3; axis++) around[o + axis] = from[from4 + axis];
      }
      localFit(fit, around, last - first + 1, s - first, width);
      if (size === 4) {
        for (let axis = 0; axis < 3; axis++) fit[axis] *= part[s];
        fromRotationVector(turn, 0, fit, 0);
        multiply(values, at, from, at, turn, 0);
      } else
        for (let axis = 0; axis < 3; axis++) values[at + axis] += part[s] * (fit[axis] - from[at + axis]);
    }
  return { ...track, values };
}

/** A leg whose foot stands in a part that was smoothed, and where its end is to be, 3 numbers a sample, and how much. */
interface Led {
  readonly limb: CompiledLimb;
  readonly goals: Float64Array;
  readonly counts: Float64Array;
}

function keepFeet(
  before: Motion,
  smooth: Motion,
  part: Float64Array,
  contacts: readonly Contact[],
  width: number,
): Motion {
  const { rig, count, interval, rotations } = before;
  const led = compiledLimbs(rig, AS_FOUND).flatMap((limb): Led[] => {
    const end = limb.chain[limb.chain.length - 1];
    const spans = contacts.filter(({ joint }) => rig.joints[end].name === joint);
    if (spans.length === 0) return [];
    const counts = new Float64Array(count);
    for (const { from, to } of spans)
      for (let s = 0; s < count; s++)
        counts[s] = Math.max(counts[s], ease(1 - Math.max(from - s, s - to, 0) / (LED / interval)));
    if (counts.every((value, s) => value * part[s] === 0)) return [];
    return [{ limb, goals: placesIn(before, end, spans, part, width), counts }];
  });
  if (led.length === 0) return smooth;
  const values = smooth.rotations.values.slice();
  const entryOf = new Map([...rotations.joints].map((joint, entry) => [joint, entry]));
  const placed = placePose(rig, restPose(rig));
  for (let s = 0; s < count; s++) {
    if (part[s] === 0 || led.every(({ counts }) => counts[s] === 0)) continue;
    readSample(smooth, s, placed.pose);
    placeAll(placed);
    for (const { limb, goals, counts } of led) {
      if (counts[s] === 0) continue;
      leadTo(placed, limb, goals.subarray(3 * s, 3 * s + 3), counts[s]);
      for (const joint of limb.chain) {
        const entry = entryOf.get(joint);
        if (entry === undefined) continue;
        const o = 4 * (s * rotations.joints.length + entry);
        for (let c = 0; c < 4; c++) values[o + c] = placed.pose.rotations[4 * joint + c];
      }
    }
  }
  return { ...smooth, rotations: { ...smooth.rotations, values } };
}

function leadTo(placed: Placed, limb: CompiledLimb, goal: Float64Array, part: number): void {
  const end = limb.chain[limb.chain.length - 1];
  const at = [12, 13, 14].map((o) => placed.matrices[16 * end + o]);
  reachIn(
    placed,
    limb,
    at.map((value, axis) => value + part * (goal[axis] - value)),
  );
}

/** Where a joint is in the scene at every sample, without noise while it stands; the way from one stance to the next as it is. */
function placesIn(
  motion: Motion,
  joint: number,
  spans: readonly Contact[],
  part: Float64Array,
  width: number,
): Float64Array {
  const { rig, count } = motion;
  const placed = placePose(rig, restPose(rig));
  const places = new Float64Array(3 * count);
  for (let s = 0; s < count; s++) {
    readSample(motion, s, placed.pose);
    placeAll(placed);
    places.set(placed.matrices.subarray(16 * joint + 12, 16 * joint + 15), 3 * s);
  }
  const out = places.slice();
  const reach = Math.ceil(width) - 1;
  const fit = new Float64Array(3);
  for (const { from, to } of spans)
    for (let s = from; s <= Math.min(to, count - 1); s++) {
      if (part[s] === 0) continue;
      const [first, last] = [Math.max(from, s - reach), Math.min(to, count - 1, s + reach)];
      localFit(fit, places.subarray(3 * first, 3 * last + 3), last - first + 1, s - first, width);
      out.set(fit, 3 * s);
    }
  return out;
}
