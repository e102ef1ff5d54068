import { followsOf, sizeRatio } from '../match/fit.js';
import { type Placed, placeAll, placePose } from '../rig/placed.js';
import { globalMatrices, restPose } from '../rig/pose.js';
import { type CompiledLimb, reachIn } from '../rig/reach.js';
import type { HandMoved } from '../take/hands.js';
import type { Mapping } from '../take/making.js';
import type { Motion } from '../take/reshape.js';
import { readSample } from '../take/sample.js';
import { type Watch, watchJoints } from '../take/watch.js';
import { limbTo } from './limb-to.js';
import { type Nearness, nearnessOf, placeOf, type Spot } from './near-body.js';

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
  const ratio = sizeRatio(motion.rig, rig, follows);
  const values = rotations.values.slice();
  const watch = watchTheirs(motion, nearness);
  const placed = placePose(rig, restPose(rig));
  const lengths = armLengths(motion, nearness);
  const distances = keptOf(motion, nearness, lengths);
  const ways = arms.map(() => new Float64Array(fitted.count));
  for (let s = 0; s < fitted.count; s++) {
    if (distances.every(({ counts }) => counts[s] === 0)) continue;
    const theirs = watch(s);
    readSample(fitted, s, placed.pose);
    placeAll(placed);
    const wishes = wishesAt(nearness, theirs, placed.matrices, ratio, (w) => distances[w].rests[s]);
    const offs = waysOf(nearness, wishes, (w) => distances[w].counts[s]);
    for (const [h, arm] of arms.entries()) {
      if (!arm) continue;
      ways[h][s] = reachBy(placed, arm, offs[h]);
      if (ways[h][s] === 0) continue;
      const row = 4 * s * rotations.joints.length;
      for (const j of arm.chain)
        for (let c = 0; c < 4; c++) values[row + 4 * entryOf.get(j)! + c] = placed.pose.rotations[4 * j + c];
    }
  }
  const moved = nearness.hands.flatMap(({ own: { joint } }, h) =>
    spansOf(ways[h], SEEN * ratio * lengths[h]).map((span) => ({ joint: rig.joints[joint].name, ...span })),
  );
  return { motion: { ...fitted, rotations: { ...rotations, values } }, moved };
}

/** Where hands and lines of a capture are, sample by sample. */
const watchTheirs = (motion: Motion, { hands, lines }: Nearness): Watch =>
  watchJoints(
    motion,
    [...hands.map(({ theirs }) => theirs), ...lines.flatMap(({ theirs }) => theirs)].map(
      ({ joint }) => joint,
    ),
  );

/** How long each arm of the capture is from the shoulder to the hand, stretched. */
function armLengths({ rig }: Motion, { hands }: Nearness): number[] {
  const rest = globalMatrices(rig, restPose(rig), new Float64Array(16 * rig.joints.length));
  return hands.map(({ theirs, theirShoulder }) => {
    let length = 0;
    let from = placeOf(rest, theirs);
    for (let j = theirs.joint; j >= 0; j = rig.joints[j].parent) {
      const to = placeOf(rest, { joint: j, offset: [0, 0, 0] });
      length += distance(from, to);
      from = to;
      if (j === theirShoulder) break;
    }
    return length;
  });
}

/** A distance that is kept, sample by sample: how much it counts beside where the hand is, which counts 1, and how far the hand rests. */
interface Kept {
  readonly counts: Float64Array;
  readonly rests: Float64Array;
}

/** What is kept of every hand to every line, and last of the two hands, which keep their place to one another whatever they do. */
function keptOf(motion: Motion, { hands, lines }: Nearness, lengths: readonly number[]): Kept[] {
  const watch = watchTheirs(motion, { hands, lines });
  const toBody = hands.length * lines.length;
  const reach = FADE / motion.interval;
  const apart = Array.from(
    { length: toBody + (hands.length > 1 ? 1 : 0) },
    () => new Float64Array(3 * motion.count),
  );
  for (let s = 0; s < motion.count; s++) {
    const matrices = watch(s);
    const wrists = hands.map(({ theirs }) => placeOf(matrices, theirs));
    for (const [h, wrist] of wrists.entries())
      for (const [l, { theirs }] of lines.entries())
        apart[h * lines.length + l].set(minus(wrist, nearestOn(wrist, theirs, matrices).place), 3 * s);
    if (wrists.length > 1) apart[apart.length - 1].set(minus(wrists[0], wrists[1]), 3 * s);
  }
  return apart.map((ways, w) => {
    const arm = w < toBody ? lengths[Math.floor(w / lines.length)] : Math.min(...lengths);
    const arms = Float64Array.from(
      { length: motion.count },
      (_, s) => Math.hypot(ways[3 * s], ways[3 * s + 1], ways[3 * s + 2]) / arm,
    );
    const near = arms.map((value) => smooth((FAR - value) / (FAR - NEAR)));
    const slow = w < toBody ? slownessOf(ways, arm, motion) : near.map(() => 1);
    return {
      // Of several that are kept at once the nearest counts most.
      counts: spread(near, reach).map(
        (weight, s) => Math.min(FIRM, weight / (1 - weight)) * (NEAR / Math.max(TOUCHING, arms[s])) ** 2,
      ),
      rests: spread(
        near.map((value, s) => value * slow[s]),
        reach,
      ),
    };
  });
}

/** How slow what goes by ways, 3 numbers a sample, is: 1 where it rests, 0 where it passes. */
function slownessOf(ways: Float64Array, arm: number, { count, interval }: Motion): Float64Array {
  const reach = Math.max(1, Math.round(MEASURED / interval));
  return Float64Array.from({ length: count }, (_, s) => {
    const [a, b] = [Math.max(0, s - reach), Math.min(count - 1, s + reach)];
    const way = [0, 1, 2].map((axis) => ways[3 * b + axis] - ways[3 * a + axis]);
    const speed = b > a ? Math.hypot(...way) / ((b - a) * interval * arm) : 0;
    return smooth((PASSES - speed) / (PASSES - RESTS));
  });
}

/** The largest of what lies up to `reach` samples beside each, less the further it is away. */
function spread(values: Float64Array, reach: number): Float64Array {
  const out = new Float64Array(values.length);
  for (const [s, value] of values.entries()) {
    if (value === 0) continue;
    for (let k = Math.max(0, Math.ceil(s - reach)); k <= Math.min(values.length - 1, s + reach); k++)
      out[k] = Math.max(out[k], value * smooth(1 - Math.abs(k - s) / reach));
  }
  return out;
}

/**
 * By which way each wrist is off what each distance asks, in the order of {@link keptOf}; of the two hands how far they are apart.
 * A hand that passes goes towards the body and away from it alone.
 */
function wishesAt(
  { hands, lines }: Nearness,
  theirs: Float64Array,
  own: Float64Array,
  ratio: number,
  rests: (wish: number) => number,
): number[][] {
  const wrists = hands.map((hand) => ({ theirs: placeOf(theirs, hand.theirs), own: placeOf(own, hand.own) }));
  const toBody = wrists.flatMap((wrist, h) =>
    lines.map((line, l) => {
      const { part, place } = nearestOn(wrist.theirs, line.theirs, theirs);
      const [a, b] = line.own.map((spot) => placeOf(own, spot));
      const apart = minus(wrist.theirs, place);
      const way = apart.map(
        (value, axis) => (1 - part) * a[axis] + part * b[axis] + ratio * value - wrist.own[axis],
      );
      const square = dot(apart, apart);
      const nearer = square > 0 ? dot(way, apart) / square : 0;
      const rest = rests(h * lines.length + l);
      return way.map((value, axis) => rest * value + (1 - rest) * nearer * apart[axis]);
    }),
  );
  if (wrists.length < 2) return toBody;
  const [left, right] = wrists;
  const apart = left.own.map(
    (value, axis) => ratio * (left.theirs[axis] - right.theirs[axis]) - (value - right.own[axis]),
  );
  return [...toBody, apart];
}

/** The way by which each wrist has to go: the least squares of all that is wished, and of where it is. */
function waysOf(
  { hands, lines }: Nearness,
  wishes: readonly (readonly number[])[],
  counts: (wish: number) => number,
): number[][] {
  const sums = hands.map(() => 1);
  const pulls = hands.map(() => [0, 0, 0]);
  for (const h of hands.keys())
    for (const l of lines.keys()) {
      const wish = h * lines.length + l;
      sums[h] += counts(wish);
      for (let axis = 0; axis < 3; axis++) pulls[h][axis] += counts(wish) * wishes[wish][axis];
    }
  if (hands.length < 2) return pulls.map((pull, h) => pull.map((value) => value / sums[h]));
  // Two wrists that keep their distance: two equations for each axis.
  const last = wishes.length - 1;
  const both = counts(last);
  const [a, b] = sums.map((sum) => sum + both);
  const determinant = a * b - both * both;
  const out = hands.map(() => [0, 0, 0]);
  for (let axis = 0; axis < 3; axis++) {
    const pull = both * wishes[last][axis];
    const [p, q] = [pulls[0][axis] + pull, pulls[1][axis] - pull];
    out[0][axis] = (b * p + both * q) / determinant;
    out[1][axis] = (both * p + a * q) / determinant;
  }
  return out;
}

/** Moves the end of an arm by a way, as far as it reaches. Returns by how much it went. */
function reachBy(placed: Placed, arm: CompiledLimb, way: readonly number[]): number {
  const { matrices } = placed;
  const place = (j: number) => [12, 13, 14].map((o) => matrices[16 * j + o]);
  const [top, from] = [place(arm.chain[0]), place(arm.chain[arm.chain.length - 1])];
  if (Math.hypot(...way) < 1e-9 * distance(top, from)) return 0;
  const goal = from.map((value, axis) => value + way[axis]);
  const length = arm.chain.slice(1).reduce((sum, j, k) => sum + distance(place(arm.chain[k]), place(j)), 0);
  const [now, wanted] = [distance(top, from), distance(top, goal)];
  const reached = wanted > now ? now + softly(wanted - now, Math.max(0, STRETCHED * length - now)) : wanted;
  reachIn(
    placed,
    arm,
    goal.map((value, axis) => top[axis] + ((value - top[axis]) * reached) / wanted),
  );
  return distance(from, place(arm.chain[arm.chain.length - 1]));
}

/** A number that is nearly itself while it is less than half of what there is room for, and never more than that. */
const softly = (value: number, room: number): number =>
  room > 0 ? value / (1 + (value / room) ** 4) ** 0.25 : 0;

/** The place of a line that is nearest to a point, and which part of the line lies before it. */
function nearestOn(
  point: readonly number[],
  line: readonly Spot[],
  matrices: Float64Array,
): { part: number; place: number[] } {
  const a = placeOf(matrices, line[0]);
  const b = placeOf(matrices, line[1]);
  const along = minus(b, a);
  const square = dot(along, along);
  const part = square > 0 ? Math.min(1, Math.max(0, dot(minus(point, a), along) / square)) : 0;
  return { part, place: [a[0] + part * along[0], a[1] + part * along[1], a[2] + part * along[2]] };
}

function smooth(u: number): number {
  const t = Math.min(1, Math.max(0, u));
  return t * t * (3 - 2 * t);
}

/** Runs of samples at which a hand was moved by more than a length, with the most that it was. */
function spansOf(ways: Float64Array, least: number): { from: number; to: number; most: number }[] {
  const spans: { from: number; to: number; most: number }[] = [];
  for (const [s, way] of ways.entries()) {
    if (way <= least) continue;
    const last = spans[spans.length - 1];
    if (last?.to === s - 1) spans[spans.length - 1] = { ...last, to: s, most: Math.max(last.most, way) };
    else spans.push({ from: s, to: s, most: way });
  }
  return spans;
}

const minus = (a: readonly number[], b: readonly number[]): number[] => [
  a[0] - b[0],
  a[1] - b[1],
  a[2] - b[2],
];
const dot = (a: readonly number[], b: readonly number[]): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const distance = (a: readonly number[], b: readonly number[]): number => Math.hypot(...minus(a, b));
