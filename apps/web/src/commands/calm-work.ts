import { finished, type Project, type Steps } from '@evlay/core';
import { inSlices, STRETCH, startJob } from '@evlay/core/job';
import type { Editor } from '../editor/editor.js';
import { notify } from '../ui/notify.js';

/** Work on the project as it is, and what is told of it. */
interface CalmWork<T> {
  /** What is under way, for the bar that shows its progress. */
  readonly name: string;
  /** What did not happen where it fails or the stack was changed meanwhile: "the layer was not converted". */
  readonly missed: string;
  /** Whether it takes long enough to be done a little at a time. */
  readonly long: boolean;
  readonly steps: Steps<T>;
  readonly put: (done: T) => void;
}

/**
 * Works something out of a project and puts it into it, at once where there is little to do; else a little at a time, with
 * progress, and it can be given up. What is changed meanwhile is not lost: then nothing is put.
 */
export function workCalmly<T>(
  { session, history }: Editor,
  { name, missed, long, steps, put }: CalmWork<T>,
): void {
  if (!long) {
    put(finished(steps));
    return;
  }
  session.getState().working?.cancel();
  const now: Project = history.project();
  const job = startJob(name, (own) => inSlices(steps, own, STRETCH.page));
  session.setState({ working: job });
  job.result
    .then((result) => {
      if (result === undefined) return;
      if (history.project() === now) put(result);
      else notify({ title: `The stack was changed meanwhile: ${missed}`, alarm: true });
    })
    .catch((error: Error) => notify({ title: `Failed: ${missed}`, text: error.message, alarm: true }))
    .finally(() => {
      if (session.getState().working === job) session.setState({ working: undefined });
    });
}
