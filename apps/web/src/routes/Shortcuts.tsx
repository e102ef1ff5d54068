import { useEffect } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import { type Command, perform } from '../commands/command.js';
import { useShortcut } from '../commands/key-map.js';
import { keySeen } from '../commands/poses/pose.js';
import { togglePlay } from '../commands/view/transport.js';
import { useEditor } from '../editor/context.js';

const CONTROLS = 'button, a, [role=slider], [role=spinbutton]';
/** What is pressed by Space too; links are followed by Enter alone. */
const PRESSED_BY_SPACE = 'button, [role=slider], [role=spinbutton]';

/** Whether Space and Enter belong to a control: one that has the focus is pressed by them, as everywhere. */
const belongsToControl = (event: KeyboardEvent): boolean =>
  (event.target as HTMLElement).closest(event.key === ' ' ? PRESSED_BY_SPACE : CONTROLS) !== null;

/** Where keys are for a while: what is typed into, and what is open over the screen. */
const KEEPS_FOCUS =
  'input, textarea, select, [contenteditable], [role=menu], [role=dialog], [data-scope=toast]';

/**
 * What was clicked lets go of the focus: keys then belong to the screen, unless somebody types. What has the focus by
 * key keeps it.
 */
function letGoOfClicked(event: MouseEvent | PointerEvent): void {
  const active = document.activeElement;
  const byPointer = event.type !== 'click' || event.detail > 0;
  if (byPointer && active instanceof Element && active !== document.body && !active.closest(KEEPS_FOCUS))
    (active as HTMLElement | SVGElement).blur();
}

/** Lets what is clicked go of the focus while a project is open. */
export function useClickedLetGo(): void {
  useEffect(() => {
    window.addEventListener('click', letGoOfClicked);
    window.addEventListener('pointerup', letGoOfClicked);
    return () => {
      window.removeEventListener('click', letGoOfClicked);
      window.removeEventListener('pointerup', letGoOfClicked);
    };
  }, []);
}

/** Keys as the hotkeys library writes them. */
const written = (keys: string): string => keys.toLowerCase().replaceAll('ctrl', 'mod');

/** Commands that a control which has the focus keeps to itself. */
const OF_CONTROLS: readonly Command[] = [togglePlay, keySeen];

/** Hears the keys of commands while it is on the screen. */
export const Shortcuts = ({ commands }: { commands: readonly Command[] }) =>
  commands.map((command) => <Key key={command.name} command={command} />);

function Key({ command }: { command: Command }) {
  const editor = useEditor();
  const keys = useShortcut(command);
  useHotkeys(
    written(keys ?? ''),
    (event) => {
      if (OF_CONTROLS.includes(command) && belongsToControl(event)) return;
      event.preventDefault();
      perform(editor, command, undefined);
    },
    // Sliders and spin buttons keep the keys that they use themselves, and let the others through.
    { enableOnFormTags: ['slider', 'spinbutton'], enabled: keys !== undefined },
    [editor, command, keys],
  );
  return null;
}
