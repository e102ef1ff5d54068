import { putMade, type Take } from '@evlay/core';
import { mappingFor, saveMapping, setContacts, sourceOf, takeById } from '@evlay/core/edit';
import { rigSignature } from '@evlay/core/match';
import { type Contacts, type Making, type Mapping } from '@evlay/core/take';
import { notify } from '../state/notify.js';
import { currentProject, edit, projectStore } from '../state/project-store.js';
import { sessionStore, setSession } from '../state/session-store.js';
import { askImporter } from './workers.js';

/** Makes a take anew with other steps. Undefined, and told, where that does not work. */
async function made(take: Take, changes: Partial<Making>): Promise<Take | undefined> {
  const project = currentProject();
  const { id } = projectStore.getState();
  const source = sourceOf(project, take);
  const { rig, metresPerUnit } = project;
  const making: Making = { ...take.made, ...changes, from: source.id };
  // The files that they came in are of no use there.
  const bare = (one: Take): Take => ({ ...one, source: { ...one.source, bytes: new Uint8Array() } });
  const result = await askImporter((worker) =>
    worker.make(bare(source), making, { rig, metresPerUnit }, bare(take)),
  );
  if (!result || projectStore.getState().id !== id) return undefined;
  if (!('refused' in result)) return result;
  notify({ title: 'The take was not changed', text: result.refused, alarm: true });
  return undefined;
}

/** Changes how a take is made: trims it, turns it up, scales it, gives it another rate. The source stays as it is. */
export async function remake(take: Take, changes: Partial<Making>): Promise<void> {
  const result = await made(take, changes);
  if (!result) return;
  edit((project) => putMade(project, take.id, result));
  setSession({ take: result.id });
}

/** Fits a take to the character with a mapping, and all others that came from the same source and were fitted. */
export async function rematch(take: Take, mapping?: Mapping): Promise<void> {
  const project = currentProject();
  const source = sourceOf(project, take);
  const joints = mapping ?? mappingFor(project, source);
  const signature = rigSignature(source.rig);
  const others = project.takes.filter(
    (one) =>
      one.id !== take.id && one.made?.mapping && rigSignature(sourceOf(project, one).rig) === signature,
  );
  const results: [Take, Take][] = [];
  for (const one of [take, ...others]) {
    const result = await made(one, { mapping: joints });
    if (!result) return;
    results.push([one, result]);
  }
  edit((current) =>
    results.reduce((p, [one, result]) => putMade(p, one.id, result), saveMapping(current, source, joints)),
  );
  setSession({ take: results[0][1].id });
}

let following: ReturnType<typeof setTimeout> | undefined;

/** Milliseconds that contacts rest before a travel that follows them is made anew. */
const RESTED = 500;

/**
 * Sets the contacts of a take. One whose travel is matched to its feet is made anew with them, when they have come to
 * rest, and is one step of undo with the change.
 */
export function changeContacts(id: string, contacts: Contacts, drag: symbol): void {
  edit((project) => setContacts(project, id, contacts), drag);
  clearTimeout(following);
  following = setTimeout(async () => {
    const take = takeById(currentProject(), id);
    const result = take?.made?.feet ? await made(take, {}) : undefined;
    if (take && result) {
      edit((project) => putMade(project, take.id, result), drag);
      if (sessionStore.getState().take === id) setSession({ take: result.id });
    }
  }, RESTED);
}
