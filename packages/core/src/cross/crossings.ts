import { type Crossing, type CrossingWish, crossingCost } from './crossing.js';
import { alignment, type Rows } from './distance.js';
import type { FootSeen, Judge } from './judge.js';
import { frameOf, type Performance } from './performance.js';
import { type Placed, placeOver, regionDistance, standingOn } from './placed.js';
import type { Region } from './regions.js';
import { plainFade, type Schedule, schedule } from './schedule.js';

/**
 * When each region changes over if sample `t` of the upper performance is to play at sample `s` of the lower one: where it
 * is nearest, feet in the air or from one that stands to one that stands, and so that they slide least. The upper one is
 * placed as the clouds lie best, or moved from there so that a foot which stands in both stands in one place. What is found is
 * judged by evaluating it, beside plain fades of all of the body at once: no foot slides more than in the best of these.
 * Undefined where the performances do not last for it. Both have samples equally far apart.
 */
export function crossingAt(
  lower: Performance,
  upper: Performance,
  rows: readonly [Rows, Rows],
  regions: readonly Region[],
  s: number,
  t: number,
  wish: CrossingWish,
  judge: Judge,
): Crossing | undefined {
  const cloud = alignment(rows[0], s, rows[1], t, wish.reach);
  const over = placeOver(lower, upper, t - s, cloud);
  const feet = regions.flatMap(({ foot }) => (foot ? standingOn(over, foot, s, wish.around) : []));
  const places = [cloud, ...feet.map(([x, z]) => ({ ...cloud, x: cloud.x + x, z: cloud.z + z }))];
  const judged: Judged[] = [];
  for (const place of places) {
    const placed = placeOver(lower, upper, t - s, place);
    const look = (changes: Schedule['changes'], plain: boolean): void => {
      judged.push(judgedAs(crossingOf(changes), placed, judge, plain));
    };
    const crossingOf = (changes: Schedule['changes']): Crossing => ({
      frame: frameOf(lower, s),
      other: frameOf(upper, t),
      alignment: place,
      slide: 0,
      changes: changes.map(({ region, at, fade, foot }) => ({
        region: region.name,
        parts: region.parts,
        frame: frameOf(lower, at),
        fade: fade * lower.step,
        distance: regionDistance(placed, region, at),
        ...(foot && { foot }),
      })),
    });
    const found = schedule(placed, regions, s, wish);
    if (found) look(found.changes, false);
    for (const fade of PLAIN) {
      const changes = plainFade(placed, regions, s, Math.max(2, Math.round(fade * wish.fade)));
      if (changes) look(changes, true);
    }
  }
  if (judged.length === 0) return undefined;
  const plains = judged.filter(({ plain }) => plain);
  const best = plains.length > 0 ? plains.reduce((a, b) => (b.slide < a.slide ? b : a)) : undefined;
  const tiny = ROUNDING * heightOf(lower);
  const admitted = judged.filter(
    ({ feet }) => !best || feet.every(({ slide }, k) => slide <= best.feet[k].slide + tiny),
  );
  const least = admitted.reduce((a, b) => (crossingCost(b.crossing) < crossingCost(a.crossing) ? b : a));
  return heldIfBetter(least, judge, HARDLY * heightOf(lower)).crossing;
}

/** A crossing with what was seen of it. */
interface Judged {
  readonly crossing: Crossing;
  readonly placed: Placed;
  readonly feet: readonly FootSeen[];
  /** How far a foot slides at most. */
  readonly slide: number;
  /** Whether all of the body changes over at once. */
  readonly plain: boolean;
}

function judgedAs(crossing: Crossing, placed: Placed, judge: Judge, plain: boolean): Judged {
  const feet = judge.seen(crossing, placed);
  const slide = Math.max(0, ...feet.map((foot) => foot.slide));
  return { crossing: { ...crossing, slide }, placed, feet, slide, plain };
}

/**
 * The same crossing with those feet held that slide by more than `hardly`, where that is better: the one that slides furthest
 * does so by less than half, no other any further, and no leg jerks more than one did, by more than a quarter. Corrections
 * that come and go slowly are tried where those that are quick jerk.
 */
function heldIfBetter(free: Judged, judge: Judge, hardly: number): Judged {
  const slides = free.feet.filter(({ slide }) => slide > hardly).map(({ region }) => region);
  if (slides.length === 0) return free;
  const { placed, plain } = free;
  for (const fade of FADES) {
    const held = judgedAs(judge.held(free.crossing, placed, { slides, fade }), placed, judge, plain);
    const before = judge.seen(free.crossing, placed, held.crossing);
    const jerk = JERKS * Math.max(...before.map(({ jolt }) => jolt));
    const better =
      held.slide < 0.5 * free.slide &&
      held.feet.every(({ slide, jolt }, k) => slide <= before[k].slide + 0.2 * hardly && jolt <= jerk);
    if (better) return held;
  }
  return free;
}

/** Seconds over which the corrections of held feet come and go: the first that is better is taken. */
const FADES = [0.13, 0.25, 0.5];
/** A slide that is hardly seen, as a part of the height of the body: half a centimetre of a person. */
const HARDLY = 0.003;
/** How much more than without contacts a leg may jerk. */
const JERKS = 1.25;
/** Plain fades that are compared with, as parts of the usual fade. */
const PLAIN = [0.25, 0.5, 1, 1.5, 2];
/** What of a slide is rounding, as a part of how far the joints of the first sample lie apart upwards. */
const ROUNDING = 1e-6;

function heightOf({ positions, joints }: Performance): number {
  let [low, high] = [Number.POSITIVE_INFINITY, 0];
  for (let j = 0; j < joints; j++) {
    low = Math.min(low, positions[3 * j + 1]);
    high = Math.max(high, positions[3 * j + 1]);
  }
  return high - low;
}
