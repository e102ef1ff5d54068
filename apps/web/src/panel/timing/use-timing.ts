import { perform } from '../../commands/command.js';
import { setView } from '../../commands/view/view.js';
import { useEditor, useSession } from '../../editor/context.js';
import type { TimingNumbers } from '../../editor/session.js';

/** Changes the numbers that are kept of what is done with timing. */
export function useTiming(): [TimingNumbers, (values: Partial<TimingNumbers>) => void] {
  const editor = useEditor();
  const timing = useSession((state) => state.timing);
  return [timing, (values) => perform(editor, setView, { timing: { ...timing, ...values } })];
}
