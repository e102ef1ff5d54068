import { characterOfTake, type Take } from '@evlay/core';
import { addTakes } from '@evlay/core/edit';
import type { Progress } from '@evlay/core/job';
import { restingJoints } from '@evlay/core/match';
import { unmatchedJoints } from '@evlay/core/take';
import { appStore } from '../editor/app.js';
import type { Editor } from '../editor/editor.js';
import { setJobs } from '../editor/session.js';
import { sharing } from '../storage/locks.js';
import type { PathFile, RefusedFile } from '../ui/dropped.js';
import { notify } from '../ui/notify.js';
import { fileSets, nameOf } from './file-sets.js';
import { CANCELLED, checkSizes, learnDigests } from './files.js';
import { keeperOf } from './open.js';
import { wearerOf } from './wearer.js';
import { askImporter, cancelImport } from './workers.js';

/** What came into the open project: the takes, or what to tell the user. */
type Brought =
  | {
      readonly takes: readonly Take[];
      readonly warnings: readonly string[];
      readonly refusedFiles: readonly RefusedFile[];
    }
  | { readonly refused: string };

/**
 * Brings the takes of a file, or of a zip, into a project. One whose skeleton is another is fitted to the character, and comes
 * along beside what is made of it. Edits of one `step` are undone together.
 */
async function bringIn(editor: Editor, files: readonly PathFile[], step?: symbol): Promise<Brought> {
  checkSizes(files);
  const project = editor.history.project();
  const { mappings, takes } = project;
  const wearer = wearerOf(project, editor.session.getState().character);
  const names = takes.map(({ name }) => name);
  // Shared until the save that names the files is done, so that no other tab sweeps them away.
  return sharing(async () => {
    const read = await askImporter((worker) => worker.readTakes(files, { ...wearer, mappings, names }));
    if (!read) return CANCELLED;
    if ('refused' in read) return read;
    const keeper = keeperOf(editor);
    if (!keeper) return { refused: 'Another project was opened meanwhile.' };
    learnDigests(
      read.takes.map(({ source }) => source),
      read.digests,
    );
    editor.history.edit((project) => addTakes(project, read.takes), step);
    void keeper.flush();
    const fits = read.takes.flatMap((take) => (take.made ? fitWarning(editor, take) : []));
    const { takes: brought, refusedFiles } = read;
    const plain = brought.length === 1 ? fitWarning(editor, brought[0]) : [];
    return { takes: brought, warnings: [...new Set([...read.warnings, ...fits, ...plain])], refusedFiles };
  });
}

/** What a take that was fitted leaves at rest, or which joints of one that plays as it is the character has not. */
function fitWarning(editor: Editor, take: Take): string[] {
  const project = editor.history.project();
  const { rig } = wearerOf(project, characterOfTake(project.scene, take));
  const few = (names: readonly string[]) => `${names.slice(0, 3).join(', ')}${names.length > 3 ? ' …' : ''}`;
  if (!take.made?.mapping) {
    const strange = unmatchedJoints(rig, take);
    return strange.length === 0
      ? []
      : [
          `${strange.length} of its ${take.rig.joints.length} joints are not in this character and are left alone: ${few(strange)}`,
        ];
  }
  const resting = restingJoints(rig, take);
  if (resting.length === rig.joints.length)
    return [`None of its joints could be matched to the character; match them by hand on the screen Takes`];
  if (resting.length === 0) return [];
  return [
    `It was fitted to the character; ${resting.length} of ${rig.joints.length} joints are matched to none and rest: ${few(resting)}`,
  ];
}

/** The take of several that plays on the character: one that was fitted, or else the first. */
const playing = (takes: readonly Take[]): Take | undefined => takes.find(({ made }) => made) ?? takes[0];

/**
 * Brings the takes of files into a project, one file after the other, and says what is doubtful and what was refused. What came
 * is undone in one step. Gives the first take that plays on the character; undefined where none came.
 */
export async function bringInAndTell(
  editor: Editor,
  files: readonly PathFile[],
  step = Symbol('bring in'),
): Promise<Take | undefined> {
  const { sets, refused: strange } = fileSets(files);
  const refused: RefusedFile[] = [...strange];
  const warnings: string[] = [];
  let first: Take | undefined;
  let stopped = false;
  const cancel = () => {
    stopped = true;
    cancelImport();
  };
  for (const [k, set] of sets.entries()) {
    const file = nameOf(set[0]);
    if (sets.length > 1)
      appStore.setState({
        busy: { text: `${file}, ${k + 1} of ${sets.length}`, progress: steady(k / sets.length), cancel },
      });
    try {
      const brought = await bringIn(editor, set, step);
      if (stopped) break;
      if ('refused' in brought) refused.push({ file, reason: brought.refused });
      else {
        first ??= playing(brought.takes);
        warnings.push(...brought.warnings);
        refused.push(...brought.refusedFiles);
      }
    } catch (error) {
      refused.push({ file, reason: (error as Error).message });
    }
  }
  for (const warning of new Set(warnings)) notify({ title: 'Brought in, with a warning', text: warning });
  setJobs(editor.session, { refusedFiles: sets.length > 1 ? refused : [] });
  tellRefused(refused, sets.length);
  return first;
}

/** A progress that stands still. */
const steady = (part: number): Progress => ({ get: () => part, subscribe: () => () => undefined });

/** Says which files were not brought in; of many the list on Takes has the reasons. */
function tellRefused(refused: readonly RefusedFile[], of: number): void {
  const [one] = refused;
  if (!one) return;
  if (of <= 1 && refused.length === 1)
    notify({ title: 'The take was not brought in', text: one.reason, alarm: true });
  else
    notify({
      title: `${refused.length} of ${Math.max(of, refused.length)} files were not brought in`,
      text: `${one.file}: ${one.reason}${refused.length > 1 ? ` And ${refused.length - 1} more, listed on Takes.` : ''}`,
      alarm: true,
    });
}
