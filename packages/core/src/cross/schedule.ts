import { type CrossingWish, type RegionChange, SLIDES_COUNT } from './crossing.js';
import { isThere, lowestPoint, type Placed, regionDistance, standsIn } from './placed.js';
import type { Foot, Region } from './regions.js';

/** When one region changes over: the sample in the middle of its fade, and how long that is. */
interface Change {
  readonly region: Region;
  readonly at: number;
  readonly fade: number;
  readonly foot?: RegionChange['foot'];
}

/** A change that can be chosen: how much of the upper performance there is at each sample, and how much it is seen. */
interface Option {
  readonly change: Change;
  readonly counts: Float64Array;
  readonly seen: number;
}

/** When all regions change over, and how far a foot slides at most, turns of the trunk on the way left out. */
export interface Schedule {
  readonly changes: readonly Change[];
  readonly slide: number;
}

/** The shortest fade, in frames: shorter is a cut. */
const SHORTEST = 2;

/** How much a difference that is faded over few frames is seen more than one over many. */
const jump = (distance: number, fade: number): number => distance * (1 + 4 / fade);

const smooth = (u: number): number => (u <= 0 ? 0 : u >= 1 ? 1 : u * u * (3 - 2 * u));

/** How a foot changes over when its fade has its middle at a sample. */
function footAt(placed: Placed, foot: Foot, at: number, fade: number): NonNullable<RegionChange['foot']> {
  let [air, stands] = [true, true];
  for (let s = Math.ceil(at - fade / 2 + 1e-6); s <= at + fade / 2 - 1e-6; s++) {
    const [own, other] = standsIn(placed, foot, s);
    if (own || other) air = false;
    if (!own || !other) stands = false;
  }
  return air ? 'air' : stands ? 'stands' : 'slides';
}

/**
 * What a track says of a foot at each sample: whether it stands in the lower, then in the upper performance, from here to
 * the next; then for the lowest point of the one and of the other, relative to its root, `x z` here in both, and `x z` at
 * the next in both.
 */
const WIDTH = 18;

function trackOf(placed: Placed, foot: Foot, from: number, to: number): Float64Array {
  const { lower, shift, positions } = placed;
  const n = lower.joints;
  const values = new Float64Array(WIDTH * (to - from + 1));
  for (let s = from; s <= to; s++) {
    const o = WIDTH * (s - from);
    if (!isThere(placed, s) || !isThere(placed, s + 1)) continue;
    const [a, b] = standsIn(placed, foot, s);
    const [c, d] = standsIn(placed, foot, s + 1);
    values[o] = a && c ? 1 : 0;
    values[o + 1] = b && d ? 1 : 0;
    const lowest = [lowestPoint(lower.positions, n, foot, s), lowestPoint(positions, n, foot, s + shift)];
    let at = o + 2;
    for (const j of lowest)
      for (const next of [0, 1]) {
        const [p, q] = [3 * (s + next) * n, 3 * (s + next + shift) * n];
        for (const k of [0, 2]) values[at++] = lower.positions[p + 3 * j + k] - lower.positions[p + k];
        for (const k of [0, 2]) values[at++] = positions[q + 3 * j + k] - positions[q + k];
      }
  }
  return values;
}

/** Where the roots of both performances are on the floor: `x z` of the lower one, then of the upper, sample by sample. */
function rootsOf(placed: Placed, from: number, to: number): Float64Array {
  const { lower, shift, positions } = placed;
  const out = new Float64Array(4 * (to - from + 2));
  for (let s = from; s <= to + 1; s++) {
    if (!isThere(placed, s)) continue;
    const [p, q] = [3 * s * lower.joints, 3 * (s + shift) * lower.joints];
    out.set([lower.positions[p], lower.positions[p + 2], positions[q], positions[q + 2]], 4 * (s - from));
  }
  return out;
}

/** How much of the upper performance there is at samples `from` to `to`, and at the one after, if a region changes over so. */
const countsOf = (at: number, fade: number, from: number, to: number): Float64Array =>
  Float64Array.from({ length: to - from + 2 }, (_, i) => smooth((from + i - at) / fade + 0.5));

/**
 * How far a foot slides more than in its own performances: the way of its lowest point on the floor while it stands, less
 * its way there by itself. The root is mixed as the trunk is, what hangs on it as the leg; turns of the trunk on the way are
 * left out. Where it is more than `most` the sum so far is enough.
 */
function slideOf(
  values: Float64Array,
  roots: Float64Array,
  trunk: Float64Array,
  leg: Float64Array,
  most: number,
): number {
  let slide = 0;
  for (let o = 0, i = 0; o < values.length && slide <= most; o += WIDTH, i++) {
    const [w0, w1] = [leg[i], leg[i + 1]];
    const after = w0 + w1 >= 1;
    if (values[o + (after ? 1 : 0)] === 0) continue;
    const [a0, a1] = [trunk[i], trunk[i + 1]];
    const p = o + (after ? 10 : 2);
    let [way, own] = [0, 0];
    for (let k = 0; k < 2; k++) {
      const r = 4 * i + k;
      const here =
        (1 - a0) * roots[r] + a0 * roots[r + 2] + (1 - w0) * values[p + k] + w0 * values[p + 2 + k];
      const next =
        (1 - a1) * roots[r + 4] + a1 * roots[r + 6] + (1 - w1) * values[p + 4 + k] + w1 * values[p + 6 + k];
      const alone = after
        ? roots[r + 6] + values[p + 6 + k] - roots[r + 2] - values[p + 2 + k]
        : roots[r + 4] + values[p + 4 + k] - roots[r] - values[p + k];
      way += (next - here) ** 2;
      own += alone * alone;
    }
    slide += Math.max(0, Math.sqrt(way) - Math.sqrt(own));
  }
  return slide;
}

/** All regions changing over at once, around a sample; undefined where the performances do not last for it. */
export function plainFade(
  placed: Placed,
  regions: readonly Region[],
  at: number,
  fade: number,
): Change[] | undefined {
  const half = Math.ceil(fade / 2) + 1;
  if (!isThere(placed, at - half) || !isThere(placed, at + half)) return undefined;
  return regions.map((region) => ({
    region,
    at,
    fade,
    ...(region.foot && { foot: footAt(placed, region.foot, at, fade) }),
  }));
}

/**
 * Finds when each region changes over, around sample `s` of the lower performance: the trunk where the two are near, and
 * for that every leg so that its foot slides least, in the air or from one that stands to one that stands if there is such a
 * time; then arms and head near the trunk. Undefined where the performances do not last for it.
 */
export function schedule(
  placed: Placed,
  regions: readonly Region[],
  s: number,
  { fade, around }: CrossingWish,
): Schedule | undefined {
  const half = Math.ceil(fade / 2) + 1;
  const times = Array.from({ length: 2 * around + 1 }, (_, k) => s - around + k).filter(
    (at) => isThere(placed, at - half) && isThere(placed, at + half),
  );
  const trunk = regions.find(({ name }) => name === 'trunk') ?? regions[0];
  if (times.length === 0 || !trunk) return undefined;
  const fades = [...new Set([fade, Math.max(SHORTEST, Math.round(fade / 2)), SHORTEST])];
  const [from, to] = [times[0] - half, times[times.length - 1] + half];
  const counts = new Map(
    times.map((at) => [at, new Map(fades.map((own) => [own, countsOf(at, own, from, to)]))]),
  );
  /** All changes of a region, those that are seen least first. */
  const optionsOf = (region: Region): Option[] =>
    times
      .flatMap((at) => {
        const distance = regionDistance(placed, region, at);
        return fades.map((own): Option => {
          const foot = region.foot && { foot: footAt(placed, region.foot, at, own) };
          const change = { region, at, fade: own, ...foot };
          return { change, counts: counts.get(at)!.get(own)!, seen: jump(distance, own) };
        });
      })
      .sort((a, b) => a.seen - b.seen);
  const roots = rootsOf(placed, from, to);
  const legs = regions.flatMap((region) => {
    if (!region.foot) return [];
    const all = optionsOf(region);
    const good = all.filter(({ change }) => change.foot !== 'slides');
    return [{ track: trackOf(placed, region.foot, from, to), options: good.length > 0 ? good : all }];
  });
  let best: { cost: number; trunk: Change; legs: Change[]; slide: number } | undefined;
  for (const middle of optionsOf(trunk)) {
    if (best && middle.seen > best.cost) break;
    let sum = middle.seen;
    let most = 0;
    const chosen: Change[] = [];
    for (const leg of legs) {
      let least: { cost: number; change: Change; slide: number } | undefined;
      for (const { change, counts: own, seen } of leg.options) {
        if (least && seen >= least.cost) break;
        const limit = least ? (least.cost - seen) / SLIDES_COUNT : Number.POSITIVE_INFINITY;
        const slide = slideOf(leg.track, roots, middle.counts, own, limit);
        const cost = SLIDES_COUNT * slide + seen;
        if (!least || cost < least.cost) least = { cost, change, slide };
      }
      if (!least) continue;
      chosen.push(least.change);
      sum += least.cost;
      most = Math.max(most, least.slide);
      if (best && sum > best.cost) break;
    }
    if (!best || sum < best.cost) best = { cost: sum, trunk: middle.change, legs: chosen, slide: most };
  }
  if (!best) return undefined;
  const { trunk: middle, legs: chosen, slide } = best;
  const changes = regions.map((region): Change => {
    const leg = chosen.find((change) => change.region === region);
    if (leg) return leg;
    if (region === trunk) return middle;
    const near = optionsOf(region).find(({ change }) => Math.abs(change.at - middle.at) <= fade);
    return near?.change ?? { region, at: middle.at, fade };
  });
  return { changes, slide };
}
