import { type Curve, FRAME_TOLERANCE, type Key, keyAt, newKey } from '../../curve/curve.js';
import { handlesOfSegment, insertKey } from '../../curve/handles.js';
import { newId } from '../../id.js';
import type { Steps } from '../../job/steps.js';
import { takeOf } from '../../layer/content.js';
import { type Layer, layerCurves } from '../../layer/layer.js';
import { layerById, type Project } from '../../layer/project.js';
import {
  contentRange,
  type OwnTime,
  ownTime,
  PLAIN_TIME,
  SHORTEST_CYCLE,
  travelsOn,
} from '../../layer/time.js';
import { changeLayer } from '../change.js';
import { mapCurves } from '../keys/keys.js';
import { addMade, setMaking, takeById } from '../scene/takes.js';

/**
 * Lets a layer loop over a cycle of own frames: by itself from its first to its last key, or all of its take. With a
 * length the cycle is that long from where it begins.
 */
export function makeLoop(
  project: Project,
  id: string,
  { from, length, loop = 'repeat' }: { from?: number; length?: number; loop?: 'repeat' | 'travel' },
): Project {
  return changeLayer(project, id, (layer) => {
    const take = project.takes.find((one) => one.id === takeOf(layer)?.take);
    const [first, last] = contentRange(layer, take, project.fps);
    const start = from ?? first;
    const end = length === undefined ? last : start + length;
    if (!(end - start >= SHORTEST_CYCLE)) return layer;
    return { ...layer, time: { ...PLAIN_TIME, ...layer.time, loop, cycle: [start, end] } };
  });
}

/**
 * Closes the loop of a keyed layer: what its cycle ends off from where it began is spread over the last `stretch` frames
 * of the cycle, softly, and the curves meet with one slope. Of a loop that travels the root and props keep their way.
 */
export function closeLoop(project: Project, id: string, stretch: number): Project {
  return changeLayer(project, id, (layer) => {
    const time = ownTime(layer, undefined, project.fps);
    if (layer.content.kind !== 'curves' || time.loop === 'none') return layer;
    const end = time.start + time.length;
    const over = Math.min(time.length, Math.max(FRAME_TOLERANCE, stretch));
    return mapCurves(layer, (curve, joint, channel, ofTarget) => {
      if (time.loop === 'travel' && !ofTarget && travelsOn(project.rig, joint, channel)) return curve;
      // A curve that is not keyed at both ends runs on across the seam by itself.
      return cycleOf(curve, time).ends ? closed(curve, time.start, end, over) : curve;
    });
  });
}

/**
 * Closes the loop of a layer with a take: a take that is made of it, closed over the last `stretch` frames of the cycle,
 * comes beside it with the id `made` and plays in its place. Where the layer has one of its own already, that is closed
 * anew. The ends of the cycle go to whole samples. Of a loop that travels the root keeps its way.
 */
export function closeTakeLoop(
  project: Project,
  id: string,
  stretch: number,
  made: string = newId(),
): Project {
  const layer = layerById(project, id);
  const take = takeById(project, layer && takeOf(layer)?.take);
  if (!layer || !take) return project;
  const time = ownTime(layer, take, project.fps);
  if (time.loop === 'none') return project;
  const framesASample = project.fps * take.interval;
  const sampleOf = (own: number) => Math.max(0, Math.min(take.count - 1, Math.round(own / framesASample)));
  const [from, to] = [sampleOf(time.start), sampleOf(time.start + time.length)];
  const over = Math.min(to - from, Math.max(1, Math.round((stretch * Math.abs(time.speed)) / framesASample)));
  if (to <= from) return project;
  const close = { from, to, over, ...(time.loop === 'travel' && { travel: true as const }) };
  const own = project.layers.filter((one) => takeOf(one)?.take === take.id).length === 1;
  const again = own && take.made?.close;
  const changed = again ? setMaking(project, take.id, { close }) : addMade(project, take, { close }, made);
  const cycle = [from * framesASample, to * framesASample] as const;
  return changeLayer(changed, id, (one) => ({
    ...one,
    content: { ...takeOf(one)!, take: again ? take.id : made },
    time: { ...one.time!, ...(one.time!.cycle && { cycle }) },
  }));
}

function closed(curve: Curve, start: number, end: number, over: number): Curve {
  const pinned = insertKey(curve, end - over);
  const first = keyAt(pinned, start)!;
  const last = keyAt(pinned, end)!;
  const gap = last.value - first.value;
  const keys = pinned.keys.map((key): Key => {
    const u = (key.frame - (end - over)) / over;
    const { in: into, out, ...plain } = key;
    // Both ends of the cycle get the automatic slope, which is found from its last and its first segment together.
    if (key === first) return { ...plain, ...(into && { in: into }) };
    if (key === last) return { ...plain, value: first.value, ...(out && { out }) };
    if (u <= 0 || u > 1) return key;
    return { ...key, value: key.value - gap * u * u * (3 - 2 * u) };
  });
  return { keys };
}

/** Keys of one cycle of a loop that are read, and whether it is keyed at both of its ends. */
function cycleOf(curve: Curve, { start, length }: OwnTime): { keys: readonly Key[]; ends: boolean } {
  const end = start + length;
  const keys = curve.keys.filter(
    (key) => key.frame >= start - FRAME_TOLERANCE && key.frame <= end + FRAME_TOLERANCE,
  );
  const on = (key: Key | undefined, frame: number) =>
    key !== undefined && Math.abs(key.frame - frame) <= FRAME_TOLERANCE;
  return { keys, ends: keys.length > 1 && on(keys[0], start) && on(keys.at(-1), end) };
}

/** How many keys the repeats of a layer's loop are, about, over the range of the project. */
export function repeatedKeys(project: Project, id: string): number {
  const layer = layerById(project, id);
  if (layer?.content.kind !== 'curves') return 0;
  const time = ownTime(layer, undefined, project.fps);
  if (time.loop === 'none' || time.speed === 0) return 0;
  const [first, last] = project.range;
  const rounds = Math.abs((last - first) * time.speed) / time.length + 1;
  return rounds * layerCurves(layer).reduce((sum, { curve }) => sum + curve.keys.length, 0);
}

/** A jump at a seam takes so many frames when it becomes keys. */
const JUMP = 1e-4;

/**
 * Turns the repeats of a keyed layer's loop into keys, over the range of the project, and lets it loop no more. What is
 * seen there stays: where the loop jumps, two keys stand close to each other. Gives way after each round of a curve.
 */
export function* repeatsSteps(project: Project, id: string): Steps<Project> {
  const layer = layerById(project, id);
  if (layer?.content.kind !== 'curves') return project;
  const time = ownTime(layer, undefined, project.fps);
  if (time.loop === 'none' || time.speed === 0) return project;
  const owns = project.range.map((frame) => (frame - time.offset) * time.speed).sort((a, b) => a - b);
  const first = Math.floor((owns[0] - time.start + FRAME_TOLERANCE) / time.length);
  const last = Math.floor((owns[1] - time.start + FRAME_TOLERANCE) / time.length);
  const looped: { readonly curve: Curve; readonly gains: boolean }[] = [];
  mapCurves(layer, (curve, joint, channel, ofTarget) => {
    const gains = time.loop === 'travel' && !ofTarget && travelsOn(project.rig, joint, channel);
    looped.push({ curve, gains });
    return curve;
  });
  const curves: Curve[] = [];
  for (const { curve, gains } of looped) {
    const steps = unrolled(curve, time, first, last, gains);
    let step = steps.next();
    for (; !step.done; step = steps.next()) yield (curves.length + step.value!) / looped.length;
    curves.push(step.value);
  }
  let next = 0;
  const written = mapCurves(layer, () => curves[next++]);
  const plain = layer.time!.offset === 0 && layer.time!.speed === 1;
  return changeLayer(project, id, () => ({
    ...written,
    time: plain ? undefined : { ...layer.time!, loop: 'none', cycle: undefined },
  }));
}

/** The curve of a loop over some rounds of it, as keys; gives way after each round. */
function* unrolled(curve: Curve, time: OwnTime, first: number, last: number, gains: boolean): Steps<Curve> {
  const { keys: cycle, ends } = cycleOf(curve, time);
  if (cycle.length === 0) return curve;
  const level = ends ? cycle[cycle.length - 1].value - cycle[0].value : 0;
  const gain = gains ? level : 0;
  const shift = (key: Key, round: number): Key => ({
    ...key,
    id: round === 0 ? key.id : newId(),
    frame: key.frame + round * time.length,
    value: key.value + round * gain,
  });
  const out: Key[] = [];
  if (!ends) {
    // Continued with the cycle's length on both sides: a round more at each end has the slopes right.
    for (let round = first - 1; round <= last + 1; round++) {
      for (const key of cycle) out.push(shift(key, round));
      yield (round - first + 1) / (last - first + 3);
    }
    return { keys: out };
  }
  const one = pinnedCycle(cycle, level);
  const closes = Math.abs(level - gain) <= 1e-12;
  for (let round = first; round <= last; round++) {
    const keys = one.map((key) => shift(key, round));
    const seam = out.pop();
    if (seam && closes) keys[0] = { ...keys[0], id: seam.id, ...(seam.in && { in: seam.in }) };
    else if (seam) out.push({ ...seam, frame: seam.frame - JUMP, ease: 'hold' });
    for (const key of keys) out.push(key);
    yield (round - first) / (last - first + 1);
  }
  return { keys: out };
}

/** The keys of a cycle of which the first and the last segment no longer ask what stands beyond its ends. */
function pinnedCycle(cycle: readonly Key[], level: number): Key[] {
  const length = cycle[cycle.length - 1].frame - cycle[0].frame;
  const beside = (key: Key, frames: number, value: number): Key => ({
    ...newKey(key.frame + frames, key.value + value, key.ease),
    ...(key.in && { in: key.in }),
    ...(key.out && { out: key.out }),
  });
  const around = [
    beside(cycle[cycle.length - 2], -length, -level),
    ...cycle,
    beside(cycle[1], length, level),
  ];
  const keys = [...cycle];
  for (const i of new Set([0, cycle.length - 2])) {
    const { ease } = cycle[i];
    if (ease === 'hold' || ease === 'linear') continue;
    const handles = handlesOfSegment(around, i + 1);
    keys[i] = { ...keys[i], ease: 'bezier', out: handles.out };
    keys[i + 1] = { ...keys[i + 1], in: handles.in };
  }
  return keys;
}

/** Whether a layer has keys that a loop of it could be made of. */
export const canLoop = (layer: Layer | undefined): boolean =>
  layer !== undefined &&
  (layer.content.kind === 'take' || layerCurves(layer).some(({ curve }) => curve.keys.length > 1));
