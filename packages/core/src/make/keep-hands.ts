import { followsOf, sizeRatio } from '../match/fit.js';
import { type Placed, placePose, placeRuns } from '../rig/placed.js';
import { restPose } from '../rig/pose.js';
import { type CompiledLimb, reachIn } from '../rig/reach.js';
import { type JointRuns, markUp, runsOf } from '../rig/topology.js';
import type { HandMoved } from '../take/hands.js';
import type { Mapping } from '../take/making.js';
import { type Motion, withRotations } from '../take/reshape.js';
import { readSample } from '../take/sample.js';
import { writePlace } from '../take/watch.js';
import { armLengths, type Kept, keptOf } from './kept-distances.js';
import { limbTo } from './limb-to.js';
import { type Nearness, nearnessOf } from './near-body.js';

/** Part of its length to which an arm stretches for it. */
const STRETCHED = 0.995;
/** Part of an arm by which a hand that is moved less is not said to be. */
const SEEN = 0.002;

/**
 * Keeps the distances of hands that are near one another, the head, the pelvis or a thigh: as in the capture, times the
 * ratio of the bodies ({@link sizeRatio}), and where a hand rests also
 * the direction. `fitted` is what came of the `motion` by
 * {@link fitOnFloor}. What counts is the nearest place of each line of the body; all that is near at once is weighed by nearness,
 * and both hands give way to each other alike. Arms reach for it as they bend, hands keep their orientation, and nothing
 * else moves. A hand of which the arm does not follow the capture joint by joint is left as it is.
 */
export function keepHands(
  motion: Motion,
  fitted: Motion,
  mapping: Mapping,
): { motion: Motion; moved: readonly HandMoved[] } {
  const { rig, rotations } = fitted;
  const follows = followsOf(motion.rig, rig, mapping);
  const nearness = nearnessOf(motion.rig, rig, follows);
  const entryOf = new Map([...rotations.joints].map((joint, entry) => [joint, entry]));
  const arms = nearness.hands.map(({ own }) => {
    const arm = limbTo(rig, own.joint);
    return arm?.chain.every((j) => entryOf.has(j)) ? arm : undefined;
  });
  if (arms.every((arm) => arm === undefined)) return { motion: fitted, moved: [] };
  const lengths = armLengths(motion, nearness);
  const distances = keptOf(motion, nearness, lengths);
  const plan: Keeping = {
    nearness,
    ratio: sizeRatio(motion.rig, rig, follows),
    distances,
    arms,
    fitted,
    entries: arms.map((arm) => (arm?.chain ?? []).map((j) => entryOf.get(j)!)),
    placed: placePose(rig, restPose(rig)),
    runs: runsOf(markUp(rig, ownJoints(nearness, arms))),
    wrists: new Float64Array(3 * arms.length),
    wishes: new Float64Array(3 * distances.length),
    ways: new Float64Array(3 * arms.length),
    values: rotations.values.slice(),
    moved: arms.map(() => new Float64Array(fitted.count)),
  };
  const near = anyNear(distances, fitted.count);
  for (let s = 0; s < fitted.count; s++) if (near[s] === 1) keepAt(plan, s);
  const { values, moved } = plan;
  return {
    motion: withRotations(fitted, values),
    moved: nearness.hands.flatMap(({ own: { joint } }, h) =>
      spansOf(moved[h], SEEN * plan.ratio * lengths[h]).map((span) => ({
        joint: rig.joints[joint].name,
        ...span,
      })),
    ),
  };
}

/** What hands are kept by, and room for what is found at a sample. */
interface Keeping {
  readonly nearness: Nearness;
  readonly ratio: number;
  readonly distances: readonly Kept[];
  readonly arms: readonly (CompiledLimb | undefined)[];
  readonly fitted: Motion;
  /** For each arm the entries of its chain in the motion. */
  readonly entries: readonly (readonly number[])[];
  readonly placed: Placed;
  /** The joints that are looked at. */
  readonly runs: JointRuns;
  /** Where the wrists are, 3 numbers each. */
  readonly wrists: Float64Array;
  /** By which way each distance wants its wrist moved, 3 numbers each; of the two hands how far they are apart. */
  readonly wishes: Float64Array;
  /** By which way each wrist has to go, 3 numbers each. */
  readonly ways: Float64Array;
  /** The rotations that come of it, and by how much each hand is moved, sample by sample. */
  readonly values: Float64Array;
  readonly moved: readonly Float64Array[];
}

/** Moves the hands at a sample. */
function keepAt(plan: Keeping, s: number): void {
  const { fitted, placed, runs, arms, entries, ways, values, moved } = plan;
  readSample(fitted, s, placed.pose);
  placeRuns(placed, runs);
  wish(plan, s);
  weigh(plan, s);
  for (let h = 0; h < arms.length; h++) {
    const arm = arms[h];
    if (!arm) continue;
    moved[h][s] = reachBy(placed, arm, ways, 3 * h);
    if (moved[h][s] > 0)
      keepChain(placed.pose.rotations, arm, entries[h], values, 4 * s * fitted.rotations.joints.length);
  }
}

const ownJoints = ({ hands, lines }: Nearness, arms: readonly (CompiledLimb | undefined)[]): number[] => [
  ...hands.map(({ own }) => own.joint),
  ...lines.flatMap(({ own }) => own.map(({ joint }) => joint)),
  ...arms.flatMap((arm) => arm?.chain ?? []),
];

/** Marks the samples at which a distance counts. */
function anyNear(distances: readonly Kept[], count: number): Uint8Array {
  const near = new Uint8Array(count);
  for (const { counts } of distances) markCounting(near, counts);
  return near;
}

function markCounting(near: Uint8Array, counts: Float64Array): void {
  for (let s = 0; s < near.length; s++) if (counts[s] !== 0) near[s] = 1;
}

function keepChain(
  rotations: Float64Array,
  { chain }: CompiledLimb,
  entries: readonly number[],
  values: Float64Array,
  row: number,
): void {
  for (let k = 0; k < chain.length; k++) {
    const to = row + 4 * entries[k];
    for (let c = 0; c < 4; c++) values[to + c] = rotations[4 * chain[k] + c];
  }
}

const lineStart = new Float64Array(3);
const lineEnd = new Float64Array(3);

/**
 * Writes by which way each wrist is off what each distance asks at a sample; of the two hands how far they are apart.
 * A hand that passes goes towards the body and away from it alone.
 */
function wish(
  { nearness: { hands, lines }, ratio, distances, placed, wrists, wishes }: Keeping,
  s: number,
): void {
  for (let h = 0; h < hands.length; h++) writePlace(placed.matrices, hands[h].own, wrists, 3 * h);
  for (let l = 0; l < lines.length; l++) {
    writePlace(placed.matrices, lines[l].own[0], lineStart, 0);
    writePlace(placed.matrices, lines[l].own[1], lineEnd, 0);
    for (let h = 0; h < hands.length; h++) {
      const w = h * lines.length + l;
      const { apart, part, rests } = distances[w];
      let along = 0;
      let square = 0;
      for (let axis = 0; axis < 3; axis++) {
        const away = apart[3 * s + axis];
        const way =
          (1 - part[s]) * lineStart[axis] + part[s] * lineEnd[axis] + ratio * away - wrists[3 * h + axis];
        wishes[3 * w + axis] = way;
        along += way * away;
        square += away * away;
      }
      const nearer = square > 0 ? along / square : 0;
      for (let axis = 0; axis < 3; axis++)
        wishes[3 * w + axis] =
          rests[s] * wishes[3 * w + axis] + (1 - rests[s]) * nearer * apart[3 * s + axis];
    }
  }
  if (hands.length < 2) return;
  const last = distances.length - 1;
  for (let axis = 0; axis < 3; axis++)
    wishes[3 * last + axis] = ratio * distances[last].apart[3 * s + axis] - (wrists[axis] - wrists[3 + axis]);
}

/** Writes the way by which each wrist has to go: the least squares of all that is wished, and of where it is. */
function weigh({ nearness: { hands, lines }, distances, wishes, ways }: Keeping, s: number): void {
  ways.fill(0);
  let a = 1;
  let b = 1;
  for (let h = 0; h < hands.length; h++) {
    let sum = 1;
    for (let l = 0; l < lines.length; l++) {
      const w = h * lines.length + l;
      const count = distances[w].counts[s];
      sum += count;
      for (let axis = 0; axis < 3; axis++) ways[3 * h + axis] += count * wishes[3 * w + axis];
    }
    if (h === 0) a = sum;
    else b = sum;
  }
  if (hands.length < 2) {
    for (let axis = 0; axis < 3; axis++) ways[axis] /= a;
    return;
  }
  // Two wrists that keep their distance: two equations for each axis.
  const last = distances.length - 1;
  const both = distances[last].counts[s];
  a += both;
  b += both;
  const determinant = a * b - both * both;
  for (let axis = 0; axis < 3; axis++) {
    const pull = both * wishes[3 * last + axis];
    const p = ways[axis] + pull;
    const q = ways[3 + axis] - pull;
    ways[axis] = (b * p + both * q) / determinant;
    ways[3 + axis] = (both * p + a * q) / determinant;
  }
}

/** The distance between two joints. */
const apartBy = (m: Float64Array, i: number, j: number): number =>
  Math.hypot(
    m[16 * i + 12] - m[16 * j + 12],
    m[16 * i + 13] - m[16 * j + 13],
    m[16 * i + 14] - m[16 * j + 14],
  );

/** Moves the end of an arm by the way at `w`, as far as it reaches. Returns by how much it went. */
function reachBy(placed: Placed, arm: CompiledLimb, ways: Float64Array, w: number): number {
  const { matrices } = placed;
  const { chain } = arm;
  const top = 16 * chain[0] + 12;
  const end = 16 * chain[chain.length - 1] + 12;
  const now = apartBy(matrices, chain[0], chain[chain.length - 1]);
  if (Math.hypot(ways[w], ways[w + 1], ways[w + 2]) < 1e-9 * now) return 0;
  const from = [matrices[end], matrices[end + 1], matrices[end + 2]];
  const goal = [from[0] + ways[w], from[1] + ways[w + 1], from[2] + ways[w + 2]];
  let length = 0;
  for (let k = 1; k < chain.length; k++) length += apartBy(matrices, chain[k - 1], chain[k]);
  const wanted = Math.hypot(
    matrices[top] - goal[0],
    matrices[top + 1] - goal[1],
    matrices[top + 2] - goal[2],
  );
  const reached = wanted > now ? now + softly(wanted - now, Math.max(0, STRETCHED * length - now)) : wanted;
  for (let axis = 0; axis < 3; axis++)
    goal[axis] = matrices[top + axis] + ((goal[axis] - matrices[top + axis]) * reached) / wanted;
  reachIn(placed, arm, goal);
  return Math.hypot(from[0] - matrices[end], from[1] - matrices[end + 1], from[2] - matrices[end + 2]);
}

/** A number that is nearly itself while it is less than half of what there is room for, and never more than that. */
const softly = (value: number, room: number): number =>
  room > 0 ? value / (1 + (value / room) ** 4) ** 0.25 : 0;

/** Runs of samples at which a hand was moved by more than a length, with the most that it was. */
function spansOf(ways: Float64Array, least: number): { from: number; to: number; most: number }[] {
  const spans: { from: number; to: number; most: number }[] = [];
  for (let s = 0; s < ways.length; s++) {
    const way = ways[s];
    if (way <= least) continue;
    const last = spans[spans.length - 1];
    if (last?.to === s - 1) spans[spans.length - 1] = { ...last, to: s, most: Math.max(last.most, way) };
    else spans.push({ from: s, to: s, most: way });
  }
  return spans;
}
