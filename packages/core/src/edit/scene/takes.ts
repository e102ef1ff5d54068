import { newId } from '../../id.js';
import { takeOf } from '../../layer/content.js';
import { keyFrames, type Layer } from '../../layer/layer.js';
import { type Project, projectRate } from '../../layer/project.js';
import { rigTake } from '../../layer/rig-take.js';
import { PLAIN_TIME } from '../../layer/time.js';
import { carryContacts, makingKey } from '../../make/make.js';
import { mappingOf, matchRigs, rigSignature } from '../../match/match.js';
import type { Contacts } from '../../take/contacts.js';
import type { Doubt } from '../../take/doubts.js';
import type { Making, Mapping } from '../../take/making.js';
import { type Take, takeDuration } from '../../take/take.js';
import { sameValue } from '../change.js';

/** Brings takes into the project. */
/** Adds takes; one that is called as another gets a number. */
export function addTakes(project: Project, added: readonly Take[]): Project {
  const takes = [...project.takes];
  for (const take of added) {
    const name = freeTakeName({ takes }, take.name);
    takes.push(name === take.name ? take : { ...take, name });
  }
  return { ...project, takes };
}

export const takeById = (project: Project, id: string | undefined): Take | undefined =>
  project.takes.find((take) => take.id === id);

/** The take that another is made of, or itself where it came from outside. */
export const sourceOf = (project: Project, take: Take): Take =>
  (take.made && takeById(project, take.made.from)) ?? take;

function changeTake(project: Project, id: string, change: (take: Take) => Take): Project {
  const index = project.takes.findIndex((take) => take.id === id);
  if (index < 0) return project;
  const changed = change(project.takes[index]);
  return sameValue(changed, project.takes[index])
    ? project
    : { ...project, takes: project.takes.with(index, changed) };
}

/**
 * What the samples of a made take have to be made by, where those that are here were made by something else; undefined
 * where they are right, or the take came from outside.
 */
export function wantedMaking(project: Project, take: Take): string | undefined {
  if (!take.made) return undefined;
  const wanted = makingKey(take, sourceOf(project, take));
  return wanted === take.madeBy ? undefined : wanted;
}

/**
 * Changes the steps by which a take is made. Its samples stay what they are until those of the new steps are there
 * ({@link putSamples}). A take that came from outside stays as it is: one that is made of it, with the id `made`, comes
 * beside it and plays in its place; if it is there already, its steps change.
 */
export function setMaking(
  project: Project,
  id: string,
  steps: Partial<Making>,
  made: string = newId(),
): Project {
  const take = takeById(project, id);
  if (!take) return project;
  if (!take.made && takeById(project, made)) return setMaking(project, made, steps);
  if (take.made) return changeTake(project, id, (old) => ({ ...old, ...madeBy(project, old, steps) }));
  const plays = (layer: Layer): Layer =>
    takeOf(layer)?.take === id ? { ...layer, content: { ...takeOf(layer)!, take: made } } : layer;
  const beside = addMade(project, take, steps, made);
  return { ...beside, layers: beside.layers.map(plays) };
}

/** How a take is made, and what its contacts are, with some steps changed. */
function madeBy(project: Project, take: Take, steps: Partial<Making>) {
  const source = sourceOf(project, take);
  const made: Making = { ...take.made, ...steps, from: source.id };
  return { made, contacts: carryContacts(take.contacts, take.made, made, source) };
}

/** Puts a take beside another one that is made as that is, but for some steps. No layer plays it yet. */
export function addMade(project: Project, take: Take, steps: Partial<Making>, made: string): Project {
  const changed = madeBy(project, take, steps);
  // It has a file of its own as soon as its samples are made; until then it borrows those of its source.
  const file = { id: made, file: take.source.file, bytes: new Uint8Array() };
  const name = madeName(
    project.takes.map((one) => one.name),
    take.name,
    changed.made,
  );
  const beside: Take = { ...take, ...changed, id: made, name, source: file, warnings: undefined };
  return { ...project, takes: project.takes.toSpliced(project.takes.indexOf(take) + 1, 0, beside) };
}

/**
 * Puts in samples that were made, where the take still wants those: `wanted` is what they were asked for by
 * ({@link wantedMaking}).
 */
export function putSamples(project: Project, id: string, wanted: string, made: Partial<Take>): Project {
  const take = takeById(project, id);
  if (!take || wantedMaking(project, take) !== wanted) return project;
  const contacts = take.contacts && !take.contacts.pending ? take.contacts : made.contacts;
  return changeTake(project, id, (old) => ({ ...old, ...made, contacts }));
}

/** A take name that is not used yet: as it is, or with a number. */
export function freeTakeName(
  { takes }: { readonly takes: readonly Pick<Take, 'name'>[] },
  name: string,
): string {
  let free = name;
  for (let k = 2; takes.some((take) => take.name === free); k++) free = `${name} ${k}`;
  return free;
}

/**
 * What stands in the way of taking a take out: the layers that play it, the takes that are made of it, and that the skeleton
 * is in its file.
 */
export function takeUses(
  project: Project,
  id: string,
): { layers: readonly Layer[]; takes: readonly string[]; rig: boolean } {
  return {
    rig: rigTake(project)?.id === id,
    layers: project.layers.filter((layer) => takeOf(layer)?.take === id),
    takes: project.takes.filter(({ made }) => made?.from === id).map(({ name }) => name),
  };
}

/** Takes a take out that nothing uses. */
export function removeTake(project: Project, id: string): Project {
  const { layers, takes, rig } = takeUses(project, id);
  if (rig || layers.length + takes.length > 0) return project;
  return { ...project, takes: project.takes.filter((take) => take.id !== id) };
}

/** Takes those of some takes out that nothing else uses; what is made of one goes before it. */
export function removeTakes(project: Project, ids: readonly string[]): Project {
  let now = project;
  for (let left = [...ids], before = -1; left.length !== before; ) {
    before = left.length;
    for (const id of left) now = removeTake(now, id);
    left = left.filter((id) => takeById(now, id));
  }
  return now;
}

/** Calls takes by one name with a number, in their order in the project. */
export function renameTakes(project: Project, ids: readonly string[], name: string): Project {
  const wanted = name.trim();
  const chosen = new Set(ids);
  if (wanted === '' || chosen.size === 0) return project;
  if (chosen.size === 1) return renameTake(project, ids[0], wanted);
  const taken = project.takes.filter(({ id }) => !chosen.has(id));
  const digits = String(chosen.size).length;
  let number = 0;
  const numbered = (): string => {
    for (;;) {
      const next = `${wanted} ${String(++number).padStart(digits, '0')}`;
      if (!taken.some((take) => take.name === next)) return next;
    }
  };
  return {
    ...project,
    takes: project.takes.map((take) => (chosen.has(take.id) ? { ...take, name: numbered() } : take)),
  };
}

/** Renames a take; an empty name changes nothing. */
export function renameTake(project: Project, id: string, name: string): Project {
  const wanted = name.trim();
  return wanted === '' ? project : changeTake(project, id, (take) => ({ ...take, name: wanted }));
}

/** Says what of a take was not recorded as it should. */
export const setDoubts = (project: Project, id: string, doubts: readonly Doubt[]): Project =>
  changeTake(project, id, ({ doubts: _, ...take }) => ({ ...take, ...(doubts.length > 0 && { doubts }) }));

/** What of a take, or of the one that it is made of sample by sample, was not recorded as it should. */
export function doubtsOf(project: Project, take: Take): readonly Doubt[] {
  const { trim, rate, close } = take.made ?? {};
  return take.doubts ?? (trim || rate || close ? [] : (sourceOf(project, take).doubts ?? []));
}

/** Sets the contacts of a take, which are kept with it. */
export const setContacts = (project: Project, id: string, contacts: Contacts): Project =>
  changeTake(project, id, (take) => ({ ...take, contacts }));

/** What a take that is made of another is called at first: by the step that makes it, with a number if there is one. */
export function madeName(taken: readonly string[], name: string, making: Partial<Making>): string {
  const { close, smooth, mapping, trim, rate } = making;
  const what = close
    ? 'closed'
    : smooth
      ? 'smoothed'
      : mapping
        ? 'fitted'
        : trim
          ? 'trimmed'
          : rate
            ? 'resampled'
            : 'made';
  const plain = `${name}, ${what}`;
  let free = plain;
  for (let k = 2; taken.includes(free); k++) free = `${plain} ${k}`;
  return free;
}

/**
 * Makes the base play a take. The base is called as the take, and the range becomes that of the take. Where nothing counts
 * in frames yet, because the base is all there is, the project takes on the rate of the take too.
 */
export function setBaseTake(project: Project, id: string): Project {
  const take = takeById(project, id);
  const [{ stands: _, ...base }] = project.layers;
  if (!take || takeOf(base)?.take === id) return project;
  const alone = project.layers.length === 1 && !base.span && !base.time && !base.placement;
  const fps = alone ? projectRate(1 / take.interval) : project.fps;
  return {
    ...project,
    fps,
    range: [0, Math.max(1, Math.round(takeDuration(take) * fps))],
    layers: project.layers.with(0, {
      ...base,
      name: take.name,
      content: { kind: 'take', take: id, reference: 'first' },
    }),
  };
}

/** Layers of which something lies outside the range: their span, or keys of their content. */
export function layersOutside({ layers, range: [first, last] }: Project): Layer[] {
  return layers.filter((layer) => {
    const { span, time } = layer;
    const ends = [span?.start, span?.end].filter((end) => end !== undefined);
    const { offset, speed, loop } = time ?? PLAIN_TIME;
    const owns = loop === 'none' && speed !== 0 ? keyFrames(layer) : [];
    const frames = [...ends, ...owns.map((own) => offset + own / speed)];
    return frames.some((frame) => frame < first || frame > last);
  });
}

/** How a take is matched to the character: as takes of its source were before, or by names, positions and shape. */
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

/** The steps that fit a take to the character: hands keep their distances, unless it was fitted before without that. */
export const fitSteps = (mapping: Mapping, before?: Making): Pick<Making, 'mapping' | 'hands'> => ({
  mapping,
  hands: before?.mapping ? before.hands : true,
});

/** Fits a take to the character with a mapping, and all others that came from the same source and were fitted. */
export function fitTakes(project: Project, id: string, joints: Mapping, made: string = newId()): Project {
  const take = takeById(project, id);
  if (!take) return project;
  const source = sourceOf(project, take);
  const signature = rigSignature(source.rig);
  const others = project.takes.filter(
    (one) => one.id !== id && one.made?.mapping && rigSignature(sourceOf(project, one).rig) === signature,
  );
  const saved = saveMapping(project, source, joints);
  return [take, ...others].reduce(
    (current, one) => setMaking(current, one.id, fitSteps(joints, one.made), one === take ? made : undefined),
    saved,
  );
}
