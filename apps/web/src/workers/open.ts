import { checkSize, newId, type Project, unmatchedJoints } from '@evlay/core';
import { bringInAboveLit } from '../state/actions.js';
import { playhead } from '../state/playhead.js';
import { currentProject, openProject, projectStore, setSaving } from '../state/project-store.js';
import { resetSession } from '../state/session-store.js';
import { loadProject, saveProject, storageReason } from '../state/storage.js';
import { importWorker } from './workers.js';

/** What came of opening something: where to go, or what to tell the user. */
export type Opened =
  | { readonly id: string; readonly warnings: readonly string[] }
  | { readonly refused: string };

function show(
  id: string,
  project: Project,
  past: readonly Project[] = [],
  future: readonly Project[] = [],
): void {
  playhead.set(project.range[0]);
  openProject(id, project, past, future);
  resetSession(project.layers[project.layers.length - 1].id);
}

/** Makes a project of a dropped or chosen file and opens it. What was open before is on disk and stays there. */
export async function openFile(name: string, bytes: Uint8Array): Promise<Opened> {
  const read = await importWorker().importFile(name, bytes);
  if ('refused' in read) return read;
  const id = newId();
  show(id, read.project);
  // Even where nothing can be kept, the project is open and can be exported.
  try {
    await saveProject(id, read.project);
  } catch (error) {
    setSaving({ state: 'failed', reason: storageReason(error) });
  }
  return { id, warnings: read.warnings };
}

/** Opens a project that is kept in this browser; one that is open already stays as it is. */
export async function openStored(id: string): Promise<Opened> {
  if (projectStore.getState().id === id && projectStore.getState().project) return { id, warnings: [] };
  const stored = await loadProject(id);
  if (!stored) return { refused: 'There is no such project in this browser.' };
  const read = await importWorker().loadStored(stored.document, stored.bytes, stored.history);
  if ('refused' in read) return read;
  show(id, read.project, read.past, read.future);
  return { id, warnings: [] };
}

/** Brings a take from a file into the open project, as a layer above the lit one. */
export async function bringInTake(
  file: File,
): Promise<{ readonly warnings: readonly string[] } | { readonly refused: string }> {
  const { id } = projectStore.getState();
  try {
    checkSize(file.name, file.size);
  } catch (error) {
    return { refused: (error as Error).message };
  }
  const read = await importWorker().readTake(file.name, new Uint8Array(await file.arrayBuffer()));
  if ('refused' in read) return read;
  if (projectStore.getState().id !== id) return { refused: 'Another project was opened meanwhile.' };
  const { take } = read;
  const count = take.rig.joints.length;
  const strange = unmatchedJoints(currentProject().rig, take);
  if (strange.length === count) {
    return {
      refused: `${file.name}: none of its joints has the name of a joint of this character, such as ${currentProject().rig.joints[0].name}`,
    };
  }
  bringInAboveLit(take);
  const left = `${strange.length} of its ${count} joints are not in this character and are left alone: ${strange.slice(0, 3).join(', ')}${strange.length > 3 ? ' …' : ''}`;
  return { warnings: strange.length > 0 ? [...read.warnings, left] : read.warnings };
}
