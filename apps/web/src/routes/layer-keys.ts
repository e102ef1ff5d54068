import { useEffect } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import { togglePlay } from '../lanes/TimeBar.js';
import {
  deleteSelected,
  dropTrial,
  keyLit,
  keyLitWeight,
  lightNeighbour,
  neighbourKey,
} from '../state/actions.js';
import { goTo, playhead } from '../state/playhead.js';
import { currentProject } from '../state/project-store.js';
import { NOTHING, sessionStore, setSession } from '../state/session-store.js';

/** Keys of the screen Layers with what they do, as Help lists them. */
export const LAYER_KEYS: readonly [keys: string, does: string][] = [
  ['Space', 'play and pause'],
  ['Left, Right', 'a frame back, a frame on; with Shift ten frames, with Ctrl to the key before or after'],
  ['Home, End', 'first and last frame of the range'],
  ['Up, Down', 'light the lane above or below'],
  ['Enter', 'key the tried pose, the picked joints, or every joint that the lit layer keys'],
  ['Shift+Enter', 'key the weight of the lit layer, or of the picked parts on it'],
  ['Delete', 'delete the selected keys or weight points'],
  ['Escape', 'drop a tried pose, then let go of what is picked'],
  ['Ctrl+Z, Ctrl+Shift+Z', 'undo, redo'],
  ['?', 'this page'],
];

function letGo(): void {
  const { trial } = sessionStore.getState();
  if (trial) dropTrial();
  else setSession({ picked: [], parts: [], selection: NOTHING, drawing: false });
}

function toKey(direction: 1 | -1): void {
  const frame = neighbourKey(playhead.get(), direction);
  if (frame !== undefined) goTo(frame);
}

const CONTROLS = 'button, a, [role=slider], [role=spinbutton]';

/** Whether Space and Enter belong to a control: one that has the focus is pressed by them, as everywhere. */
const belongsToControl = (event: KeyboardEvent): boolean =>
  (event.target as HTMLElement).closest(CONTROLS) !== null;

/** A control that was clicked lets go of the focus, so that Space plays after a click on a button too. */
function letGoOfClicked(event: MouseEvent): void {
  const byPointer = event.detail > 0;
  if (byPointer) (event.target as Element).closest<HTMLElement>('button, a')?.blur();
}

export function useLayerKeys(): void {
  // Sliders and spin buttons keep the keys that they use themselves, and let the others through.
  const through = { enableOnFormTags: ['slider', 'spinbutton'] } as const;
  const on = { ...through, preventDefault: true };
  useEffect(() => {
    window.addEventListener('click', letGoOfClicked);
    return () => window.removeEventListener('click', letGoOfClicked);
  }, []);
  useHotkeys(
    'space',
    (event) => {
      if (belongsToControl(event)) return;
      event.preventDefault();
      togglePlay(sessionStore.getState().playing);
    },
    through,
  );
  useHotkeys(
    'enter',
    (event) => {
      if (!belongsToControl(event)) keyLit();
    },
    through,
  );
  useHotkeys('shift+enter', keyLitWeight, on);
  useHotkeys('left, right', (_, { keys }) => goTo(playhead.get() + (keys?.includes('left') ? -1 : 1)), on);
  useHotkeys(
    'shift+left, shift+right',
    (_, { keys }) => goTo(playhead.get() + (keys?.includes('left') ? -10 : 10)),
    on,
  );
  useHotkeys('ctrl+left, ctrl+right', (_, { keys }) => toKey(keys?.includes('left') ? -1 : 1), on);
  useHotkeys('home', () => goTo(currentProject().range[0]), on);
  useHotkeys('end', () => goTo(currentProject().range[1]), on);
  useHotkeys('up', () => lightNeighbour(1), on);
  useHotkeys('down', () => lightNeighbour(-1), on);
  useHotkeys('delete, backspace', deleteSelected, on);
  useHotkeys('escape', letGo, through);
}
