import { renameProject, setRange } from '@evlay/core/edit';
import { writeProject } from '@evlay/core/format';
import { takeOver, whenMade } from '../jobs/open.js';
import { download, fileName } from '../ui/download.js';
import { command } from './command.js';

export const undo = command({
  name: 'Undo',
  keys: 'Ctrl+Z',
  refusal: ({ history, gesture }) =>
    history.store.getState().past.length > 0 || gesture ? undefined : { reason: 'There is nothing to undo' },
  run: ({ history }) => history.undo(),
});

export const redo = command({
  name: 'Redo',
  keys: 'Ctrl+Shift+Z',
  refusal: ({ history }) =>
    history.store.getState().future.length > 0 ? undefined : { reason: 'There is nothing to redo' },
  run: ({ history }) => history.redo(),
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
  looks: true,
  refusal: ({ session }) =>
    session.getState().looking ? undefined : { reason: 'It is open here to be worked on already' },
  run: () => void takeOver(),
});

/** Downloads the open project as it stands, also where nothing can be saved. */
export const exportProject = command({
  name: 'Export the project',
  looks: true,
  run(editor) {
    void whenMade(editor).then(() => {
      const project = editor.history.settled();
      download(fileName(project.name, 'evlay'), [writeProject(project)], 'application/zip');
    });
  },
});
