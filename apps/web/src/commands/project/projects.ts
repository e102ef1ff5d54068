import { appStore } from '../../editor/app.js';
import { packProject, readStored, rescued } from '../../jobs/export.js';
import { attachedTo } from '../../jobs/reference.js';
import { whileClosed } from '../../storage/locks.js';
import {
  deleteStored,
  duplicateStored,
  renameStored,
  restoreStored,
  storageReason,
} from '../../storage/storage.js';
import { download, fileName } from '../../ui/download.js';
import { notify } from '../../ui/notify.js';

/** Projects of the list, which no editor has open, by id; `done` shows what has changed. */
export interface InList {
  readonly id: string;
  readonly name: string;
  readonly done: () => void;
}

/** Does something to a project of the list, unless another tab has it open, and tells where it did not work. */
async function attempt({ id, name, done }: InList, work: () => Promise<void>): Promise<void> {
  try {
    if (!(await whileClosed(id, work)))
      notify({
        title: 'Not done',
        text: `“${name}” is open in another tab. Close it there first.`,
        alarm: true,
      });
  } catch (error) {
    const reason = error instanceof DOMException ? `${storageReason(error)}.` : (error as Error).message;
    notify({ title: 'Not done', text: reason, alarm: true });
  }
  done();
}

export const renameListed = (project: InList, name: string): Promise<void> =>
  attempt(project, () => renameStored(project.id, name));

export const duplicateListed = (project: InList): Promise<void> =>
  attempt(project, () => duplicateStored(project.id));

/** Deletes a project; it can be brought back. */
export const deleteListed = (project: InList): Promise<void> =>
  attempt(project, async () => {
    await deleteStored(project.id);
    notify({
      title: `“${project.name}” deleted`,
      action: {
        label: 'Undo',
        run: () => void attempt(project, () => restoreStored(project.id)),
      },
    });
  });

/** Downloads a project as a file; of one that cannot be read, what is there of it. */
export async function exportListed({ id, name }: InList): Promise<void> {
  try {
    const read = await readStored(id);
    if ('project' in read) {
      const job = packProject(read.project, await attachedTo(id));
      const { progress, cancel } = job;
      appStore.setState({ busy: { text: `Writing ${fileName(name, 'evlay')} …`, progress, cancel } });
      const bytes = await job.result.finally(() => appStore.setState({ busy: undefined }));
      if (bytes) download(fileName(name, 'evlay'), [bytes], 'application/zip');
      return;
    }
    const pieces = await rescued(id);
    if (pieces) download(fileName(`${name} pieces`, 'zip'), [pieces], 'application/zip');
    notify({
      title: pieces ? 'Exported in pieces' : 'Not exported',
      text: read.refused,
      alarm: true,
    });
  } catch (error) {
    notify({ title: 'Not exported', text: (error as Error).message, alarm: true });
  }
}
