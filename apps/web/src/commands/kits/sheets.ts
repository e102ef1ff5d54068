import { playedInPlaceOf, takeById } from '@evlay/core/edit';
import { openMade } from '../../jobs/open.js';
import {
  bakeSheet,
  dropSheet,
  entryProject,
  goOnWithSheet,
  rememberOpened,
  type SheetBake,
  sheetStore,
  startSheet,
} from '../../jobs/sheets.js';
import { download, fileName } from '../../ui/download.js';
import { notify } from '../../ui/notify.js';
import { command } from '../command.js';
import { thingById } from './locker.js';

/** The takes, of some, on which a kit is put: each that plays on the character, or what was fitted of it, once. */
const wearable = (project: Parameters<typeof takeById>[0], takes: readonly string[]) => {
  const seen = new Set<string>();
  return takes.flatMap((id) => {
    const take = takeById(project, id);
    const played = playedInPlaceOf(project, id);
    if (!take || seen.has(played?.id ?? id)) return [];
    seen.add(played?.id ?? id);
    const source = take.made && takeById(project, take.made.from);
    return [{ id: played?.id ?? id, name: (source ?? take).name }];
  });
};

/** Puts a kit of the locker on takes of the project, and shows what comes of it as a sheet. */
export const putOnTakes = command<{ readonly takes: readonly string[]; readonly thing: string }>({
  name: 'Put a kit on the picked takes',
  looks: true,
  refusal({ history }, { takes, thing }) {
    if (!thingById(thing)) return { reason: 'The kit is not in the locker any more' };
    return wearable(history.project(), takes).length === 0 ? { reason: 'No take is picked' } : undefined;
  },
  run(editor, { takes, thing }) {
    const { name, file, bytes } = thingById(thing)!;
    startSheet(editor, { name, file, bytes }, wearable(editor.history.project(), takes));
  },
});

export const goOn = command({
  name: 'Go on with the takes of the sheet that are waiting',
  palette: 'Play and project',
  looks: true,
  refusal: ({ id }) =>
    sheetStore
      .getState()
      .sheets.get(id)
      ?.entries.some(({ state }) => state === 'waiting')
      ? undefined
      : { reason: 'No take of a sheet is waiting' },
  run: goOnWithSheet,
});

/** Opens what came of a take as a project of its own, to go on by hand; `go` is told which. */
export const openEntry = command<{ readonly take: string; readonly go: (project: string) => void }>({
  name: 'Open it and go on by hand',
  looks: true,
  run({ id, history }, { take, go }) {
    const sheet = sheetStore.getState().sheets.get(id);
    const entry = sheet?.entries.find((one) => one.take === take);
    if (!sheet || !entry) return;
    if (entry.project !== undefined) {
      go(entry.project);
      return;
    }
    const open = async () => {
      const made = await entryProject(history.project(), sheet, take);
      if (!made) throw new Error('It does not play on the character: fit it on Takes first.');
      const project = await openMade({ ...made, name: entry.name });
      rememberOpened(sheet.of, take, project);
      go(project);
    };
    open().catch((error: Error) => notify({ title: 'Not opened', text: error.message, alarm: true }));
  },
});

/** Bakes takes of the sheet into one zip. */
export const bakeEntries = command<SheetBake & { readonly takes: readonly string[] }>({
  name: 'Bake to a zip',
  looks: true,
  refusal: (_, { takes }) => (takes.length === 0 ? { reason: 'No take of the sheet is done' } : undefined),
  run(editor, { takes, ...how }) {
    const name = sheetStore.getState().sheets.get(editor.id)?.kit.name ?? 'Takes';
    bakeSheet(editor, takes, how, (zip) => {
      download(fileName(name, 'zip'), [zip], 'application/zip');
      notify({
        title: `${takes.length} ${takes.length === 1 ? 'take is' : 'takes are'} baked`,
        text: `${fileName(name, 'zip')} has them with a manifest.`,
      });
    });
  },
});

export const leaveSheet = command({
  name: 'Take the sheet away',
  palette: 'Play and project',
  looks: true,
  refusal: ({ id }) =>
    sheetStore.getState().sheets.has(id) ? undefined : { reason: 'There is no sheet of this project' },
  run: ({ id }) => dropSheet(id),
});
