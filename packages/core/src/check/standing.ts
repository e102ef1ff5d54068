import { compileStack } from '../evaluate/compile.js';
import type { CompiledStack } from '../evaluate/compiled.js';
import { alphaAt, applyLayers } from '../evaluate/evaluate.js';
import { motionBelow } from '../evaluate/motion-below.js';
import { walkOf } from '../layer/applied-walk.js';
import { contactsOf, takeOf } from '../layer/content.js';
import { isLive } from '../layer/group.js';
import type { HeldLimb, StandingPoint, StandingSpan } from '../layer/held-contacts.js';
import { inFull, type Layer } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { keyMarks, type OwnTime, ownTime } from '../layer/time.js';
import { findContacts } from '../make/contacts.js';
import { quantile } from '../math/quantile.js';
import { isWalkingLeg, standsFrom } from '../motion/gait.js';
import { compiledLimbs } from '../rig/compiled-limbs.js';
import { type Placed, placeAll, placePose } from '../rig/placed.js';
import { copyPose, pointInWorld, restPose } from '../rig/pose.js';
import type { CompiledLimb } from '../rig/reach.js';
import { isWithin, jointIndex, ownName, type Rig, sceneName } from '../rig/rig.js';
import type { Motion } from '../take/reshape.js';
import type { Take } from '../take/take.js';

/** When limbs stand, and which points of them do: from the takes that layers play, from the walks that they hold, or from layers that hold contacts. */

/** Of all heights of a point in a stance so many are below what it stands at: the odd one that dips does not count. */
const LOW = 0.1;

/** Where joints are at a frame, by the layers of a compiled stack below an index. */
export function placedBelow(stack: CompiledStack, frame: number, end: number): Placed {
  const pose = restPose(stack.rig);
  copyPose(pose, stack.rest);
  applyLayers(stack, frame, 0, end, pose);
  return placePose(stack.rig, pose);
}

/** The limb that stands on a foot: the one whose chain has it. */
export const limbOn = (limbs: readonly CompiledLimb[], foot: number): CompiledLimb | undefined =>
  limbs.find(({ name, chain }) => ownName(name) !== 'trunk' && chain.slice(1).includes(foot));

/** The frames of the project, within its range, in which the feet of a layer's take stand, by limb. */
export function standingSpans(project: Project, layer: Layer, take: Take): Map<CompiledLimb, StandingSpan[]> {
  const limbs = compiledLimbs(project.rig, project.limbs);
  const rate = take.interval * project.fps;
  const player = takeOf(layer)?.character ?? '';
  return spansByTime(
    project,
    ownTime(layer, take, project.fps),
    (take.contacts?.spans ?? []).flatMap(({ joint, from, to }) => {
      const limb = limbOn(limbs, jointIndex(project.rig, sceneName(player, joint)));
      return limb ? [{ limb, from: from * rate, to: to * rate }] : [];
    }),
  );
}

/** The frames of the project, within its range, in which legs stand by the walk of a layer, by limb; none where it does not walk along. */
export function walkingSpans(project: Project, layer: Layer): Map<CompiledLimb, StandingSpan[]> {
  const walk = walkOf(layer);
  const time = ownTime(layer, undefined, project.fps);
  // In place the floor goes by below the feet.
  const walks = walk?.travels ? compiledLimbs(project.rig, project.limbs) : [];
  return spansByTime(
    project,
    time,
    walks.flatMap((limb) => {
      const leg = limb.name.replace(/Leg$/, '');
      if (!isWalkingLeg(leg)) return [];
      const [from, to] = standsFrom(leg, walk!);
      return [{ limb, from: time.start + from * time.length, to: time.start + to * time.length }];
    }),
  );
}

/** The frames in which limbs stand in samples that begin with the range of a project: its feet, found by height and speed. */
export function spansIn(project: Project, motion: Motion): Map<CompiledLimb, StandingSpan[]> {
  const limbs = compiledLimbs(project.rig, project.limbs);
  const [first] = project.range;
  const frames = motion.interval * project.fps;
  const found = new Map<CompiledLimb, StandingSpan[]>();
  for (const { joint, from, to } of findContacts(motion, project.metresPerUnit).spans) {
    const limb = limbOn(limbs, jointIndex(project.rig, joint));
    if (!limb) continue;
    found.set(limb, [...(found.get(limb) ?? []), [first + from * frames, first + to * frames]]);
  }
  for (const [limb, spans] of found) found.set(limb, tidySpans(spans));
  return found;
}

/** When the limbs of a base that holds keys stand: found in what it shows alone, as nobody has said it. */
const keyedSpans = (project: Project, layer: Layer): Map<CompiledLimb, StandingSpan[]> =>
  spansIn(project, motionBelow({ ...project, groups: [], layers: [inFull(layer)] }));

/** The frames of the project, within its range, in which limbs stand over frames of a layer's own, by limb. */
function spansByTime(
  { range: [first, last] }: Project,
  time: OwnTime,
  stances: readonly { readonly limb: CompiledLimb; readonly from: number; readonly to: number }[],
): Map<CompiledLimb, StandingSpan[]> {
  const found = new Map<CompiledLimb, StandingSpan[]>();
  for (const { limb, from, to } of stances) {
    // A span comes as often as its first frame is played.
    for (const { frame } of keyMarks(time, [from], first - (to - from), last)) {
      const length = (to - from) / time.speed;
      const [a, b] = [Math.min(frame, frame + length), Math.max(frame, frame + length)];
      if (b < first || a > last) continue;
      const span: StandingSpan = [Math.max(first, a), Math.min(last, b)];
      found.set(limb, [...(found.get(limb) ?? []), span]);
    }
  }
  for (const [limb, spans] of found) found.set(limb, tidySpans(spans));
  return found;
}

/** Spans in order; those that meet or overlap are one. */
export function tidySpans(spans: readonly StandingSpan[]): StandingSpan[] {
  const out: [number, number][] = [];
  const sorted = spans.map(([a, b]) => [Math.min(a, b), Math.max(a, b)] as const).sort((a, b) => a[0] - b[0]);
  for (const [from, to] of sorted) {
    const last = out[out.length - 1];
    if (last && from <= last[1]) last[1] = Math.max(last[1], to);
    else out.push([from, to]);
  }
  return out;
}

/** The points of a limb's end that can stand: the end, what hangs on it, and their end sites. */
export function standingPoints(rig: Rig, { chain }: CompiledLimb): Omit<StandingPoint, 'floor'>[] {
  const end = chain[chain.length - 1];
  return rig.joints.flatMap(({ name, ends }, j) =>
    isWithin(rig, j, end) ? [{ joint: name }, ...ends.map((_, k) => ({ joint: name, end: k }))] : [],
  );
}

/** Where points are at the whole frames of a span: 3 numbers a point, by frame. */
interface PointPath {
  readonly from: number;
  readonly places: readonly Float64Array[];
}

/** Where points of limbs are in each of some spans, by a layer alone. */
function pathsAlone(
  project: Project,
  layer: Layer,
  points: readonly Omit<StandingPoint, 'floor'>[],
  spans: readonly StandingSpan[],
): PointPath[] {
  const stack = compileStack({ ...project, groups: [], layers: [{ ...inFull(layer), mode: 'override' }] });
  const { joints } = project.rig;
  const offsets = points.map(({ joint, end }) => {
    const j = jointIndex(project.rig, joint);
    return [j, end === undefined ? [0, 0, 0] : joints[j].ends[end]] as const;
  });
  const placed = placePose(stack.rig, restPose(stack.rig));
  return spans.map(([from, to]) => {
    const places: Float64Array[] = [];
    for (let frame = Math.ceil(from); frame <= to; frame++) {
      copyPose(placed.pose, stack.rest);
      applyLayers(stack, frame, 0, 1, placed.pose);
      placeAll(placed);
      places.push(
        Float64Array.from(offsets.flatMap(([j, offset]) => pointInWorld(placed.matrices, j, offset))),
      );
    }
    return { from: Math.ceil(from), places };
  });
}

/** How high points of a limb are while it stands, by a layer alone. */
export const withFloors = (
  project: Project,
  layer: Layer,
  points: readonly Omit<StandingPoint, 'floor'>[],
  spans: readonly StandingSpan[],
): StandingPoint[] => floorsOf(points, pathsAlone(project, layer, points, spans));

/**
 * The floor of each point: the median of what it comes down to in each stance, so that one that is too low or too high does
 * not move it.
 */
const floorsOf = (
  points: readonly Omit<StandingPoint, 'floor'>[],
  paths: readonly PointPath[],
): StandingPoint[] =>
  points.map((point, p) => {
    const lows = paths
      .filter(({ places }) => places.length > 0)
      .map(({ places }) =>
        quantile(
          places.map((place) => place[3 * p + 1]),
          LOW,
        ),
      );
    return { ...point, floor: quantile(lows, 0.5) };
  });

/** Metres a second below which a foot stands still, and seconds on both sides over which that is measured. */
const STILL = 0.15;
const AROUND = 0.025;
/** Metres by which points may be higher above their floors than the lowest and stand with it. */
const BESIDE = 0.015;

/** Metres by which a stance may be higher than others and stand on the floor all the same. */
const UNEVEN = 0.01;

/** How much higher than their floors points stand over a stance: the median of the lowest. */
function levelOf(
  { metresPerUnit }: Project,
  points: readonly StandingPoint[],
  { places }: PointPath,
): number {
  const lowest = places.map((place) => Math.min(...points.map(({ floor }, p) => place[3 * p + 1] - floor)));
  return Math.min(UNEVEN / metresPerUnit, Math.max(0, quantile(lowest, 0.5)));
}

/** Seconds in which a foot that stands still before and after slips; in more it takes a step. */
const SLIPS = 0.25;

/**
 * The parts of stances in which the point that moves least of those that are down is slow: after it has come down and
 * before it rolls off. Where it slips in between it is one.
 */
function stillSpans(
  { fps, metresPerUnit }: Project,
  points: readonly StandingPoint[],
  paths: readonly PointPath[],
): StandingSpan[] {
  const reach = Math.max(1, Math.round(AROUND * fps));
  const out: [number, number][] = [];
  for (const { from, places } of paths) {
    const first = out.length;
    for (let k = 0; k < places.length; k++) {
      const [a, b] = [places[Math.max(0, k - reach)], places[Math.min(places.length - 1, k + reach)]];
      const frames = Math.min(places.length - 1, k + reach) - Math.max(0, k - reach);
      const heights = points.map(({ floor }, p) => places[k][3 * p + 1] - floor);
      const low = Math.min(...heights);
      const way = Math.min(
        ...points.map((_, p) =>
          heights[p] > low + BESIDE / metresPerUnit
            ? Number.POSITIVE_INFINITY
            : Math.hypot(b[3 * p] - a[3 * p], b[3 * p + 2] - a[3 * p + 2]),
        ),
      );
      if (!(frames > 0 && (way * metresPerUnit * fps) / frames <= STILL)) continue;
      const last = out.length > first ? out[out.length - 1] : undefined;
      if (last && from + k - last[1] <= SLIPS * fps) last[1] = from + k;
      else out.push([from + k, from + k]);
    }
  }
  return out;
}

/** A limb with its points and when it stands. */
export interface Standing extends HeldLimb {
  readonly limb: CompiledLimb;
  /** The frames of its spans in which it stands still by what says that it stands. */
  readonly still: readonly StandingSpan[];
  /** How much higher than its floors it stands in each span as a whole, in units of the rig. */
  readonly levels: readonly number[];
}

const known = new WeakMap<
  Layer,
  { readonly of: readonly unknown[]; readonly standings: readonly Standing[] }
>();

/** What stands by a layer's own take, walk or keys, with the heights of its points. Found once for a state of layer and take. */
function ownStandings(project: Project, layer: Layer, take: Take | undefined): readonly Standing[] {
  const of = [take, project.rig, project.limbs, project.fps, project.metresPerUnit, ...project.range];
  const before = known.get(layer);
  if (before?.of.every((one, k) => one === of[k])) return before.standings;
  const spansOf = take
    ? standingSpans(project, layer, take)
    : walkOf(layer)
      ? walkingSpans(project, layer)
      : keyedSpans(project, layer);
  const standings = [...spansOf].map(([limb, spans]): Standing => {
    const candidates = standingPoints(project.rig, limb);
    const paths = pathsAlone(project, layer, candidates, spans);
    const points = floorsOf(candidates, paths);
    return {
      limb,
      spans,
      points,
      still: stillSpans(project, points, paths),
      levels: paths.map((path) => levelOf(project, points, path)),
    };
  });
  known.set(layer, { of, standings });
  return standings;
}

/** Share of a limb's pose that has to come from a layer for its contacts to count. */
const COUNTS = 0.5;

/**
 * What stands in the whole stack, and when: what layers that hold contacts say of a limb, the contacts of takes and walks, and those that are
 * found in a keyed base, each
 * over the frames in which the layer drives the limb. Layers that hold contacts are left out if not `withHeld`.
 */
export function standingsOf(project: Project, stack: CompiledStack, withHeld = true): Standing[] {
  const { layers, groups, takes } = project;
  const limbs = compiledLimbs(project.rig, project.limbs);
  return layers.flatMap((layer, index) => {
    if (!isLive(layers, groups, index)) return [];
    const seen = (standing: Standing) => whereSeen(stack, index, standing, withHeld);
    const held = withHeld ? contactsOf(layer) : undefined;
    if (held)
      return Object.entries(held.limbs).flatMap(([name, own]) => {
        const limb = limbs.find((one) => one.name === name);
        return limb ? seen({ limb, ...own, still: own.spans, levels: own.spans.map(() => 0) }) : [];
      });
    const take = takes.find(({ id }) => id === takeOf(layer)?.take);
    // Of keys that nobody has said anything of, those of the base are looked at.
    const keyed = index === 0 && layer.content.kind === 'curves';
    if ((!take && !walkOf(layer) && !keyed) || layer.mode !== 'override') return [];
    return ownStandings(project, layer, take).flatMap(seen);
  });
}

/** What a layer says of a limb over the frames in which it drives it; nothing where it does at none. */
function whereSeen(stack: CompiledStack, index: number, standing: Standing, withHeld: boolean): Standing[] {
  const parts = standing.spans.flatMap((span, k) =>
    whereDriven(stack, index, standing.limb, span, withHeld).map((part) => ({
      part,
      level: standing.levels[k],
    })),
  );
  if (parts.length === 0) return [];
  return [{ ...standing, spans: parts.map(({ part }) => part), levels: parts.map(({ level }) => level) }];
}

/** The parts of a span in which a layer drives most of a limb: layers above that pose it, or hold its contacts, take it over. */
function whereDriven(
  stack: CompiledStack,
  index: number,
  { name, chain }: CompiledLimb,
  [from, to]: StandingSpan,
  withHeld: boolean,
): StandingSpan[] {
  const j = chain[chain.length - 2];
  const above = stack.layers.flatMap(({ layer, additive, slots, rotates }, k) => {
    if (k <= index || !stack.live[k] || additive) return [];
    const held = contactsOf(layer);
    const takesOver = held ? withHeld && held.limbs[name] : slots[j] >= 0 && rotates[slots[j]] === 1;
    return takesOver ? [{ k, corrects: held !== undefined }] : [];
  });
  const share = (frame: number) =>
    above.reduce(
      (rest, { k, corrects }) => {
        const alpha = alphaAt(stack, k, j, frame);
        // Contacts correct what is below: it is theirs or not, there is no pose of their own to be in part.
        return rest * (corrects ? (alpha >= COUNTS ? 0 : 1) : 1 - alpha);
      },
      index === 0 ? 1 : alphaAt(stack, index, j, frame),
    );
  const out: [number, number][] = [];
  let open = false;
  for (let frame = from; ; frame = Math.min(to, frame + 1)) {
    const counts = share(frame) >= COUNTS;
    if (counts && !open) out.push([frame, frame]);
    else if (counts) out[out.length - 1][1] = frame;
    open = counts;
    if (frame >= to) return out;
  }
}
