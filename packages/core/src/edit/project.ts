import { newLayer } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { findParts } from '../rig/parts.js';
import { guessMetresPerUnit } from '../rig/pose.js';
import { type Take, takeDuration } from '../take/take.js';

/** A project whose base plays a take on the take's own skeleton, frame by sample. */
export function projectFromTake(take: Take): Project {
  const fps = 1 / take.interval;
  const base = newLayer('Base', 'override', { take: { id: take.id, reference: 'first' } });
  return {
    name: take.name,
    fps,
    range: [0, Math.max(0, Math.round(takeDuration(take) * fps))],
    metresPerUnit: guessMetresPerUnit(take.rig),
    rig: take.rig,
    parts: findParts(take.rig),
    takes: [take],
    layers: [base],
  };
}

/** Renames a project; an empty name changes nothing. */
export function renameProject(project: Project, name: string): Project {
  const trimmed = name.trim();
  return trimmed === '' || trimmed === project.name ? project : { ...project, name: trimmed };
}

/** Sets what plays and is baked, whole frames, in order. */
export function setRange(project: Project, first: number, last: number): Project {
  const range = [Math.min(first, last), Math.max(first, last)].map(Math.round) as [number, number];
  return range[0] === project.range[0] && range[1] === project.range[1] ? project : { ...project, range };
}
