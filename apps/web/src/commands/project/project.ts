import { renameProject, setRange } from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { packProject } from '../../jobs/export.js';
import { takeOver, whenMade } from '../../jobs/open.js';
import { attachedShown } from '../../jobs/reference.js';
import { download, fileName } from '../../ui/download.js';
import { notify } from '../../ui/notify.js';
import { command } from '../command.js';

/** Goes a step in the history and lights the layer that it changed: where one looks is where something happens. */
function lightChanged({ history, session }: Editor, go: () => void): void {
  const before = history.project().layers;
  go();
  const now = history.project().layers;
  const changed = now.filter((layer) => !before.includes(layer));
  const { lit } = session.getState();
  if (changed.length > 0 && !changed.some(({ id }) => id === lit))
    session.light(changed[changed.length - 1].id);
}

export const undo = command({
  name: 'Undo',
  palette: 'Play and project',
  shortcut: 'Ctrl+Z',
  refusal: ({ history, gesture }) =>
    history.store.getState().past.length > 0 || gesture ? undefined : { reason: 'There is nothing to undo' },
  run: (editor) => lightChanged(editor, editor.history.undo),
});

export const redo = command({
  name: 'Redo',
  palette: 'Play and project',
  shortcut: 'Ctrl+Shift+Z',
  refusal: ({ history }) =>
    history.store.getState().future.length > 0 ? undefined : { reason: 'There is nothing to redo' },
  run: (editor) => lightChanged(editor, editor.history.redo),
});

/** Goes several steps at once: back where the number is negative. */
export const goSteps = command<number>({
  name: 'Go to a step',
  run: (editor, steps) =>
    lightChanged(editor, () => {
      for (let k = 0; k < Math.abs(steps); k++)
        if (steps < 0) editor.history.undo();
        else editor.history.redo();
    }),
});

export const rename = command<string>({
  name: 'Rename the project',
  run: (_, name, change) => change((project) => renameProject(project, name)),
});

/** Sets what plays and is baked; one end may be dragged up to the other. */
export const changeRange = command<readonly [number, number]>({
  name: 'Change the range',
  run: (_, [first, last], change) => change((project) => setRange(project, first, last)),
});

/** Takes the open project over from the tab that has it open to be worked on. */
export const takeProjectOver = command({
  name: 'Take the project over',
  palette: 'Play and project',
  looks: true,
  refusal: ({ session }) =>
    session.getState().looking ? undefined : { reason: 'It is open here to be worked on already' },
  run: () => void takeOver(),
});

/** Downloads the open project as it stands, also where nothing can be saved. */
export const exportProject = command({
  name: 'Export the project',
  palette: 'Play and project',
  looks: true,
  run(editor) {
    const { session } = editor;
    const work = async (): Promise<void> => {
      await whenMade(editor);
      const project = editor.kept.settled();
      const job = packProject(project, await attachedShown(session.getState().references));
      session.getState().working?.cancel();
      session.setState({ working: job });
      const bytes = await job.result.finally(() => {
        if (session.getState().working === job) session.setState({ working: undefined });
      });
      if (bytes) download(fileName(project.name, 'evlay'), [bytes], 'application/zip');
    };
    work().catch((error: Error) => notify({ title: 'Not exported', text: error.message, alarm: true }));
  },
});
