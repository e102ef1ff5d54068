import { compileStack } from '../evaluate/compile.js';
import type { CompiledStack } from '../evaluate/compiled.js';
import { alphaAt, applyLayers } from '../evaluate/evaluate.js';
import { walkOf } from '../layer/applied-walk.js';
import { contactsOf, isKeyed, takeOf } from '../layer/content.js';
import { isLive } from '../layer/group.js';
import type { HeldLimb, StandingPoint, StandingSpan } from '../layer/held-contacts.js';
import { inFull, type Layer } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { quantile } from '../math/quantile.js';
import { compiledLimbs } from '../rig/compiled-limbs.js';
import { type Placed, placePose } from '../rig/placed.js';
import { copyPose, globalMatrices, restPose } from '../rig/pose.js';
import type { CompiledLimb } from '../rig/reach.js';
import { isWithin, jointIndex, type Rig } from '../rig/rig.js';
import { markUp, runsOf } from '../rig/topology.js';
import type { Take } from '../take/take.js';
import { type Spot, spotOf, writePlace } from '../take/watch.js';
import { keyedSpans, standingSpans } from './stances.js';

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
  const spots = points.map(({ joint, end }): Spot => {
    const j = jointIndex(project.rig, joint);
    return end === undefined ? spotOf(j) : { joint: j, offset: joints[j].ends[end] };
  });
  const { rig } = stack;
  const pose = restPose(rig);
  const runs = runsOf(
    markUp(
      rig,
      spots.map(({ joint }) => joint),
    ),
  );
  const matrices = new Float64Array(16 * rig.joints.length);
  return spans.map(([from, to]) => {
    const places: Float64Array[] = [];
    for (let frame = Math.ceil(from); frame <= to; frame++) {
      copyPose(pose, stack.rest);
      applyLayers(stack, frame, 0, 1, pose);
      for (const [first, end] of runs) globalMatrices(rig, pose, matrices, first, end);
      const at = new Float64Array(3 * spots.length);
      for (const [p, spot] of spots.entries()) writePlace(matrices, spot, at, 3 * p);
      places.push(at);
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
  const floors = points.map(({ floor }) => floor);
  const lowest = places.map((place) => lowestOver(place, floors));
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
  const floors = points.map(({ floor }) => floor);
  const out: [number, number][] = [];
  for (const { from, places } of paths) {
    const first = out.length;
    for (let k = 0; k < places.length; k++) {
      const a = Math.max(0, k - reach);
      const b = Math.min(places.length - 1, k + reach);
      const way = leastWay(places[k], places[a], places[b], floors, BESIDE / metresPerUnit);
      if (!(b > a && (way * metresPerUnit * fps) / (b - a) <= STILL)) continue;
      const last = out.length > first ? out[out.length - 1] : undefined;
      if (last && from + k - last[1] <= SLIPS * fps) last[1] = from + k;
      else out.push([from + k, from + k]);
    }
  }
  return out;
}

/** How far that of some points goes along the floor from `a` to `b` which goes least, of those that are about as low as the lowest. */
function leastWay(
  places: Float64Array,
  a: Float64Array,
  b: Float64Array,
  floors: readonly number[],
  beside: number,
): number {
  const low = lowestOver(places, floors);
  let least = Number.POSITIVE_INFINITY;
  for (let p = 0; p < floors.length; p++)
    if (!(places[3 * p + 1] - floors[p] > low + beside))
      least = Math.min(least, Math.hypot(b[3 * p] - a[3 * p], b[3 * p + 2] - a[3 * p + 2]));
  return least;
}

/** How high the lowest of some points is above its floor. */
function lowestOver(places: Float64Array, floors: readonly number[]): number {
  let low = Number.POSITIVE_INFINITY;
  for (let p = 0; p < floors.length; p++) low = Math.min(low, places[3 * p + 1] - floors[p]);
  return low;
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
  const spansOf = take ? standingSpans(project, layer, take) : keyedSpans(project, layer);
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
    const keyed = isKeyed(layer) && (index === 0 || layer.stands !== undefined);
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
  const { layer, slots } = stack.layers[index];
  // What has nothing for the limb does not drive it, whatever it weighs.
  const drives = index === 0 || contactsOf(layer) !== undefined || slots[j] >= 0;
  const out: [number, number][] = [];
  let open = false;
  for (let frame = from; ; frame = Math.min(to, frame + 1)) {
    const counts = drives && shareAt(stack, index, j, above, frame) >= COUNTS;
    if (counts && !open) out.push([frame, frame]);
    else if (counts) out[out.length - 1][1] = frame;
    open = counts;
    if (frame >= to) return out;
  }
}

/** What takes over from a layer, and whether it corrects what is below. */
interface Above {
  readonly k: number;
  readonly corrects: boolean;
}

/** Which part of a joint's pose at a frame is a layer's, below others that take over. */
function shareAt(
  stack: CompiledStack,
  index: number,
  joint: number,
  above: readonly Above[],
  frame: number,
): number {
  let share = index === 0 ? 1 : alphaAt(stack, index, joint, frame);
  for (const { k, corrects } of above) {
    const alpha = alphaAt(stack, k, joint, frame);
    // Contacts correct what is below: it is theirs or not, there is no pose of their own to be in part.
    share *= corrects ? (alpha >= COUNTS ? 0 : 1) : 1 - alpha;
  }
  return share;
}
