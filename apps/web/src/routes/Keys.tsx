import { useEffect } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import { type Command, perform } from '../commands/command.js';
import { keySeen } from '../commands/pose.js';
import { togglePlay } from '../commands/transport.js';
import { useEditor } from '../editor/context.js';

const CONTROLS = 'button, a, [role=slider], [role=spinbutton]';

/** Whether Space and Enter belong to a control: one that has the focus is pressed by them, as everywhere. */
const belongsToControl = (event: KeyboardEvent): boolean =>
  (event.target as HTMLElement).closest(CONTROLS) !== null;

/** A control that was clicked lets go of the focus, so that Space plays after a click on a button too. */
function letGoOfClicked(event: MouseEvent): void {
  const byPointer = event.detail > 0;
  if (byPointer) (event.target as Element).closest<HTMLElement>('button, a')?.blur();
}

/** Lets clicked controls go of the focus while a screen with keys is open. */
export function useClickedLetGo(): void {
  useEffect(() => {
    window.addEventListener('click', letGoOfClicked);
    return () => window.removeEventListener('click', letGoOfClicked);
  }, []);
}

/** Keys as the hotkeys library writes them. */
const written = (keys: string): string => keys.toLowerCase().replaceAll('ctrl', 'mod');

/** Commands that a control which has the focus keeps to itself. */
const OF_CONTROLS: readonly Command[] = [togglePlay, keySeen];

/** Hears the keys of commands while it is on the screen. */
export const Keys = ({ commands }: { commands: readonly Command[] }) =>
  commands.map((command) => <Key key={command.name} command={command} />);

function Key({ command }: { command: Command }) {
  const editor = useEditor();
  useHotkeys(
    written(command.keys!),
    (event) => {
      if (OF_CONTROLS.includes(command) && belongsToControl(event)) return;
      event.preventDefault();
      perform(editor, command, undefined);
    },
    // Sliders and spin buttons keep the keys that they use themselves, and let the others through.
    { enableOnFormTags: ['slider', 'spinbutton'] },
    [editor, command],
  );
  return null;
}
