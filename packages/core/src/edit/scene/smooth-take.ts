import { newId } from '../../id.js';
import { takeOf } from '../../layer/content.js';
import { layerById, type Project } from '../../layer/project.js';
import { ownFrame, ownTime } from '../../layer/time.js';
import type { Stretch } from '../../make/smooth-stretch.js';
import { setMaking, sourceOf, takeById } from './takes.js';

/** Stretches in order, those that meet as one. */
export function joinedStretches(stretches: readonly Stretch[]): Stretch[] {
  const joined: Stretch[] = [];
  for (const [from, to] of [...stretches].sort(([a], [b]) => a - b)) {
    const last = joined[joined.length - 1];
    if (last && from <= last[1] + 1) joined[joined.length - 1] = [last[0], Math.max(last[1], to)];
    else joined.push([from, to]);
  }
  return joined;
}

/**
 * Takes the noise out of a take between two of its seconds, as a step of how it is made; stretches that were smoothed before
 * stay so. A take that came from outside stays as it is: one with the id `made` that is made of it plays in its place.
 */
export function smoothTake(
  project: Project,
  id: string,
  spans: readonly (readonly [number, number])[],
  made: string = newId(),
): Project {
  const take = takeById(project, id);
  if (!take) return project;
  const source = sourceOf(project, take);
  const trim = take.made?.trim?.[0] ?? 0;
  const inSource = (sample: number) => Math.max(0, Math.min(source.count - 1, sample));
  const stretches = spans.map((ends): Stretch => {
    const [from, to] = ends.map((second) => trim + second / source.interval).sort((a, b) => a - b);
    return [inSource(Math.floor(from + TINY)), inSource(Math.ceil(to - TINY))];
  });
  return setMaking(
    project,
    take.id,
    { smooth: joinedStretches([...(take.made?.smooth ?? []), ...stretches]) },
    made,
  );
}

/** Parts of a sample within which a moment is that of the sample. */
const TINY = 1e-3;

/** The same of what a layer's take plays between two frames of the project. The same project where it plays none. */
export function smoothLayer(
  project: Project,
  layer: string,
  frames: readonly [number, number],
  made: string = newId(),
): Project {
  const own = layerById(project, layer);
  const take = takeById(project, own && takeOf(own)?.take);
  if (!own || !take) return project;
  const time = ownTime(own, take, project.fps);
  const [a, b] = frames.map((frame) => ownFrame(time, frame));
  // Where the loop begins anew in between it is both ends of the cycle.
  const wraps = time.loop !== 'none' && (b - a) * time.speed < 0;
  const spans: [number, number][] = wraps
    ? [
        [time.start, Math.min(a, b)],
        [Math.max(a, b), time.start + time.length],
      ]
    : [[a, b]];
  return smoothTake(
    project,
    take.id,
    spans.map(([from, to]) => [from / project.fps, to / project.fps] as const),
    made,
  );
}
