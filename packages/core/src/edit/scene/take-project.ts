import { playing } from '../../layer/content.js';
import { newLayer } from '../../layer/layer.js';
import { NOTHING_KEPT, type Project } from '../../layer/project.js';
import { playsOn } from '../../match/fit.js';
import { type Take, takeDuration } from '../../take/take.js';
import { takeById } from './takes.js';

/** The take that plays on the character of a project in the place of one: itself, or what was fitted of it; undefined where none does. */
export function playedInPlaceOf(project: Project, id: string): Take | undefined {
  const take = takeById(project, id);
  if (!take) return undefined;
  if (playsOn(project.rig, take)) return take;
  return project.takes.find(({ made }) => made?.from === id && made.mapping !== undefined);
}

/**
 * A project of its own for a take of another: the same character, with its parts, limbs, poses and limits, and a base that plays
 * the take over its whole length. Undefined where the take does not play on the character.
 */
export function takeAsProject(project: Project, id: string): Project | undefined {
  const take = playedInPlaceOf(project, id);
  if (!take) return undefined;
  const source = take.made && takeById(project, take.made.from);
  const { parts, limbs, poses, sets } = project;
  return {
    ...project,
    ...NOTHING_KEPT,
    parts,
    limbs,
    poses,
    sets,
    name: (source ?? take).name,
    range: [0, Math.max(1, Math.floor(takeDuration(take) * project.fps + 1e-6))],
    takes: source ? [source, take] : [take],
    layers: [newLayer(take.name, 'override', { id: 'base', content: playing(take.id) })],
  };
}
