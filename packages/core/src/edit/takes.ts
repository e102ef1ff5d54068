import type { Layer, Reference } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { mappingOf, matchRigs, rigSignature } from '../match/match.js';
import type { Contacts } from '../take/contacts.js';
import type { Mapping } from '../take/making.js';
import { type Take, takeDuration } from '../take/take.js';

/** Brings takes into the project. */
export const addTakes = (project: Project, takes: readonly Take[]): Project => ({
  ...project,
  takes: [...project.takes, ...takes],
});

export const takeById = (project: Project, id: string | undefined): Take | undefined =>
  project.takes.find((take) => take.id === id);

/** The take that another is made of, or itself where it came from outside. */
export const sourceOf = (project: Project, take: Take): Take =>
  (take.made && takeById(project, take.made.from)) ?? take;

/** Puts a take in the place of another: in the list, and in every layer that plays it. */
export function replaceTake(project: Project, id: string, take: Take): Project {
  const index = project.takes.findIndex((one) => one.id === id);
  if (index < 0) return project;
  const played = (layer: Layer): Layer =>
    layer.take?.id === id
      ? { ...layer, take: { ...layer.take, id: take.id, reference: heldIn(take, layer.take.reference) } }
      : layer;
  return { ...project, takes: project.takes.with(index, take), layers: project.layers.map(played) };
}

const heldIn = (take: Take, reference: Reference): Reference =>
  typeof reference === 'number' ? Math.min(reference, take.count - 1) : reference;

/** Puts what was made of a take in its place; one that came from outside stays in the list as its source. */
export function putMade(project: Project, id: string, take: Take): Project {
  const index = project.takes.findIndex((one) => one.id === id);
  const replaced = replaceTake(project, id, take);
  return index < 0 || project.takes[index].made
    ? replaced
    : { ...replaced, takes: project.takes.toSpliced(index + 1, 0, take) };
}

/** What stands in the way of taking a take out: the layers that play it, and the takes that are made of it. */
export function takeUses(
  project: Project,
  id: string,
): { layers: readonly string[]; takes: readonly string[] } {
  return {
    layers: project.layers.filter((layer) => layer.take?.id === id).map(({ name }) => name),
    takes: project.takes.filter(({ made }) => made?.from === id).map(({ name }) => name),
  };
}

/** Takes a take out that nothing uses. */
export function removeTake(project: Project, id: string): Project {
  const { layers, takes } = takeUses(project, id);
  if (layers.length + takes.length > 0) return project;
  return { ...project, takes: project.takes.filter((take) => take.id !== id) };
}

function changeTake(project: Project, id: string, change: (take: Take) => Take): Project {
  const index = project.takes.findIndex((take) => take.id === id);
  return index < 0 ? project : { ...project, takes: project.takes.with(index, change(project.takes[index])) };
}

/** Renames a take; an empty name changes nothing. */
export function renameTake(project: Project, id: string, name: string): Project {
  const wanted = name.trim();
  return wanted === '' ? project : changeTake(project, id, (take) => ({ ...take, name: wanted }));
}

/** Sets the contacts of a take, which are kept with it. */
export const setContacts = (project: Project, id: string, contacts: Contacts): Project =>
  changeTake(project, id, (take) => ({ ...take, contacts }));

/**
 * Makes the base play a take. The range becomes that of the take. Where nothing counts in frames yet, because the base
 * is all there is, the project takes on the rate of the take too.
 */
export function setBaseTake(project: Project, id: string): Project {
  const take = project.takes.find((one) => one.id === id);
  const [base] = project.layers;
  if (!take || base.take?.id === id) return project;
  const alone = project.layers.length === 1 && !base.span && !base.time && !base.placement;
  const fps = alone ? 1 / take.interval : project.fps;
  return {
    ...project,
    fps,
    range: [0, Math.max(1, Math.round(takeDuration(take) * fps))],
    layers: project.layers.with(0, { ...base, take: { id, reference: 'first' }, channels: {} }),
  };
}

/** How a take is matched to the character: as takes of its source were before, or by names, places and shape. */
export function mappingFor(project: Pick<Project, 'rig' | 'mappings'>, take: Pick<Take, 'rig'>): Mapping {
  const source = rigSignature(take.rig);
  const saved = project.mappings.find((one) => one.source === source);
  return saved?.joints ?? mappingOf(take.rig, project.rig, matchRigs(take.rig, project.rig));
}

/** Keeps a mapping, which serves every further take from the same source. */
export function saveMapping(project: Project, take: Pick<Take, 'rig'>, joints: Mapping): Project {
  const source = rigSignature(take.rig);
  const others = project.mappings.filter((one) => one.source !== source);
  return { ...project, mappings: [...others, { source, joints }] };
}
