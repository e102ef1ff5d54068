import { bringInAndTell } from '../../jobs/bring-in.js';
import type { PathFile } from '../../ui/dropped.js';
import { command } from '../command.js';

/** Files whose takes are to come into the open project, and what is done with the one that plays on its character. */
export interface BringingIn {
  readonly files: readonly PathFile[];
  /** The step of undo that all of it belongs to. */
  readonly step?: symbol;
  readonly take: (take: string) => void;
  /** Called in the end, whether it worked or not. */
  readonly ended?: () => void;
}

export const bringIn = command<BringingIn>({
  name: 'Bring in a take',
  later: true,
  run: (editor, { files, step, take: took, ended }) =>
    void bringInAndTell(editor, files, step)
      .then((take) => take && took(take.id))
      .finally(ended),
});
