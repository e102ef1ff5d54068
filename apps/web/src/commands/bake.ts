import { whenMade } from '../jobs/open.js';
import { bakeToFile, cancelBake } from '../jobs/workers.js';
import { download, fileName } from '../ui/download.js';
import { notify } from '../ui/notify.js';
import type { Baked, BakeJob } from '../workers/bake.worker.js';
import { command } from './command.js';

/** A bake that is done: what was written, under which name, and how long it took. */
export interface DoneBake extends Baked {
  readonly file: string;
  readonly seconds: number;
}

/** What is baked, and who hears of it. */
export interface Baking {
  readonly job: Omit<BakeJob, 'character'>;
  readonly onProgress: (done: number) => void;
  /** Called in the end; without what was baked where it was cancelled or failed. */
  readonly ended: (done?: DoneBake) => void;
}

/** Downloads what was baked. */
export const downloadBake = ({ file, bytes }: DoneBake): void =>
  download(file, [bytes], 'application/octet-stream');

/** Bakes the project to a file, off the page, and downloads it. */
export const bake = command<Baking>({
  name: 'Bake',
  looks: true,
  run(editor, { job, onProgress, ended }) {
    const started = performance.now();
    const work = async () => {
      await whenMade(editor);
      const project = editor.history.settled();
      const baked = await bakeToFile(project, job, onProgress);
      if (!baked) {
        notify({ title: 'The bake was cancelled', text: 'Nothing was written.' });
        ended();
        return;
      }
      const seconds = (performance.now() - started) / 1000;
      const done = { ...baked, file: fileName(project.name, job.format), seconds };
      downloadBake(done);
      ended(done);
    };
    work().catch((error: Error) => {
      notify({ title: 'The bake failed', text: error.message, alarm: true });
      ended();
    });
  },
});

export const stopBake = command({
  name: 'Cancel the bake',
  looks: true,
  run: () => cancelBake(),
});
