import { spansIn, tidySpans } from '../check/stances.js';
import { standingsOf } from '../check/standing.js';
import { compileStack } from '../evaluate/compile.js';
import { motionBelow } from '../evaluate/motion-below.js';
import { walkOf } from '../layer/applied-walk.js';
import type { StandingSpan } from '../layer/held-contacts.js';
import type { Project } from '../layer/project.js';
import { restPose } from '../rig/pose.js';
import { rootOf } from '../rig/topology.js';
import type { Motion } from '../take/reshape.js';
import { readSample } from '../take/sample.js';

/** A moment of a motion, by name: `leftLeg down`, `leftLeg up`, `apex`, `start`, `end`, or a mark's. */
export interface MotionEvent {
  readonly name: string;
  /** Of the project. */
  readonly frame: number;
}

/** Frames over which limbs stand, by the name of the limb. */
export type StandingLimbs = ReadonlyMap<string, readonly StandingSpan[]>;

/**
 * When limbs stand in what the layers of a project below an index show: by the contacts of their takes and of layers that hold
 * some; where there are none, or a layer walks by rule, they are found in the motion.
 */
export function standingLimbs(project: Project, end = project.layers.length): StandingLimbs {
  const below = { ...project, layers: project.layers.slice(0, Math.max(1, end)) };
  const walks = below.layers.some((layer) => walkOf(layer) && !layer.stands);
  const known = walks ? [] : standingsOf(below, compileStack(below));
  return known.length > 0
    ? byLimb(known.map(({ limb, spans }) => ({ name: limb.name, spans })))
    : byLimb([...spansIn(project, motionBelow(project, end))].map(([{ name }, spans]) => ({ name, spans })));
}

function byLimb(
  list: readonly { readonly name: string; readonly spans: readonly StandingSpan[] }[],
): StandingLimbs {
  const found = new Map<string, StandingSpan[]>();
  for (const { name, spans } of list) found.set(name, [...(found.get(name) ?? []), ...spans]);
  for (const [name, spans] of found) found.set(name, tidySpans(spans));
  return found;
}

/** Seconds that nothing stands before the highest point in between is an apex. */
const AIRBORNE = 0.1;
/** Frames by which two moments may be apart and be one. */
const SAME = 1e-6;

/**
 * The events of what the layers of a project below an index show, in the order of their frames: the ends of the range, where each
 * limb comes down and leaves the floor, where the root is highest while nothing stands, and the marks. A contact that begins or
 * ends with the range has no event there.
 */
export function eventsOf(project: Project, end = project.layers.length): MotionEvent[] {
  const [first, last] = project.range;
  const standing = standingLimbs(project, end);
  const events: MotionEvent[] = [
    { name: 'start', frame: first },
    { name: 'end', frame: last },
    ...project.marks.map(({ name, frame }) => ({ name, frame })),
  ];
  for (const [limb, spans] of standing)
    for (const [from, to] of spans) {
      if (from > first + SAME) events.push({ name: `${limb} down`, frame: from });
      if (to < last - SAME) events.push({ name: `${limb} up`, frame: to });
    }
  if (standing.size > 0)
    for (const frame of apexes(project, motionBelow(project, end), standing))
      events.push({ name: 'apex', frame });
  const rank = (name: string) => (name === 'start' ? 0 : name === 'end' ? 2 : 1);
  return events.sort(
    (a, b) => a.frame - b.frame || rank(a.name) - rank(b.name) || (a.name < b.name ? -1 : 1),
  );
}

/** Frames at which the root is highest between two at which something stands, where that is long enough. */
function apexes({ range: [first, last], fps }: Project, motion: Motion, standing: StandingLimbs): number[] {
  const down = tidySpans([...standing.values()].flat());
  const frames = motion.interval * fps;
  const heights = heightsOfRoot(motion);
  return down.slice(1).flatMap(([to], k) => {
    const from = down[k][1];
    if ((to - from) / fps < AIRBORNE || from < first || to > last) return [];
    const [a, b] = [Math.ceil((from - first) / frames), Math.floor((to - first) / frames)];
    let top = a;
    for (let s = a; s <= Math.min(b, heights.length - 1); s++) if (heights[s] > heights[top]) top = s;
    return top < heights.length ? [first + (top + betweenSamples(heights, top)) * frames] : [];
  });
}

function heightsOfRoot(motion: Motion): Float64Array {
  const pose = restPose(motion.rig);
  const root = 3 * rootOf(motion.rig) + 1;
  return Float64Array.from({ length: motion.count }, (_, s) => {
    readSample(motion, s, pose);
    return pose.translations[root];
  });
}

/** By which part of a sample the top of the parabola through three samples is off the middle one. */
function betweenSamples(heights: Float64Array, s: number): number {
  if (s < 1 || s + 1 >= heights.length) return 0;
  const [a, b, c] = [heights[s - 1], heights[s], heights[s + 1]];
  const bend = a - 2 * b + c;
  return bend < 0 ? Math.max(-0.5, Math.min(0.5, (a - c) / (2 * bend))) : 0;
}
