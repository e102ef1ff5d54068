import { newId, type Project, type Take } from '@evlay/core';
import { addTakes } from '@evlay/core/edit';
import { checkSize } from '@evlay/core/format';
import { restingJoints } from '@evlay/core/match';
import { unmatchedJoints } from '@evlay/core/take';
import { transfer } from 'comlink';
import { saveNow } from '../state/autosave.js';
import { playhead } from '../state/playhead.js';
import { currentProject, edit, openProject, projectStore, setSaving } from '../state/project-store.js';
import { resetSession } from '../state/session-store.js';
import { loadProject } from '../state/storage.js';
import type { PathFile } from './import.worker.js';
import { askImporter } from './workers.js';

/** What came of opening something: where to go, or what to tell the user. */
export type Opened =
  | { readonly id: string; readonly warnings: readonly string[] }
  | { readonly refused: string };

/** What is told of something that was cancelled. */
const CANCELLED = { refused: 'It was cancelled; nothing has changed.' };

function show(
  id: string,
  project: Project,
  past: readonly Project[] = [],
  future: readonly Project[] = [],
): void {
  openProject(id, project, past, future);
  resetSession(project.layers[project.layers.length - 1].id);
  playhead.set(project.range[0]);
}

/** Makes a project of dropped or chosen files and opens it. What was open before is on disk and stays there. */
export async function openFiles(files: readonly PathFile[]): Promise<Opened> {
  checkSizes(files);
  const read = await askImporter((worker) => worker.importFiles(files));
  if (!read) return CANCELLED;
  if ('refused' in read) return read;
  const id = newId();
  show(id, read.project);
  // It is shown first and then put away. Where nothing can be kept, it is open and can be exported all the same.
  setSaving({ state: 'saving' });
  setTimeout(() => void saveNow(false), SHOWN_FIRST);
  return { id, warnings: read.warnings };
}

/** Opens a project that is kept in this browser; one that is open already stays as it is. */
export async function openStored(id: string): Promise<Opened> {
  if (projectStore.getState().id === id && projectStore.getState().project) return { id, warnings: [] };
  const stored = await loadProject(id);
  if (!stored) return { refused: 'There is no such project in this browser.' };
  const bytes = transfer(
    stored.bytes,
    [...stored.bytes.values()].map(({ buffer }) => buffer as ArrayBuffer),
  );
  const read = await askImporter((worker) => worker.loadStored(stored.document, bytes, stored.history));
  if (!read) return CANCELLED;
  if ('refused' in read) return read;
  show(id, read.project, read.past, read.future);
  return { id, warnings: [] };
}

/** Milliseconds in which a project that was opened comes to be seen before it is put away. */
const SHOWN_FIRST = 1500;

/** Refuses files that are too large to be read. */
function checkSizes(files: readonly PathFile[]): void {
  for (const { path, file } of files) checkSize(path, file.size);
}

/** What came into the open project: the take that plays on its character, or what to tell the user. */
export type Brought =
  | { readonly take: Take; readonly warnings: readonly string[] }
  | { readonly refused: string };

/**
 * Brings the takes of files into the open project. One whose skeleton is another is fitted to the character, and comes
 * along beside what is made of it. Edits of one `step` are undone together.
 */
export async function bringIn(files: readonly PathFile[], step?: symbol): Promise<Brought> {
  checkSizes(files);
  const { id } = projectStore.getState();
  const { rig, metresPerUnit, mappings } = currentProject();
  const read = await askImporter((worker) => worker.readTakes(files, { rig, metresPerUnit, mappings }));
  if (!read) return CANCELLED;
  if ('refused' in read) return read;
  if (projectStore.getState().id !== id) return { refused: 'Another project was opened meanwhile.' };
  edit((project) => addTakes(project, read.takes), step);
  const take = read.takes.find(({ made }) => made) ?? read.takes[0];
  return { take, warnings: [...read.warnings, ...fitWarning(take)] };
}

/** What a take that was fitted leaves at rest, or which joints of one that plays as it is have no place. */
function fitWarning(take: Take): string[] {
  const { rig } = currentProject();
  if (!take.made?.mapping) {
    const strange = unmatchedJoints(rig, take);
    const which = `${strange.slice(0, 3).join(', ')}${strange.length > 3 ? ' …' : ''}`;
    return strange.length === 0
      ? []
      : [
          `${strange.length} of its ${take.rig.joints.length} joints are not in this character and are left alone: ${which}`,
        ];
  }
  const resting = restingJoints(rig, take);
  if (resting.length === rig.joints.length)
    return [`None of its joints could be matched to the character; match them by hand on the screen Takes`];
  if (resting.length === 0) return [];
  const few = `${resting.slice(0, 3).join(', ')}${resting.length > 3 ? ' …' : ''}`;
  return [
    `It was fitted to the character; ${resting.length} of ${rig.joints.length} joints are matched to none and rest: ${few}`,
  ];
}
