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

// Sliders and spin buttons keep the keys that they use themselves, and let the others through.
const THROUGH = { enableOnFormTags: ['slider', 'spinbutton'] } as const;
const ON = { ...THROUGH, preventDefault: true };

/** The keys that play and step, on every screen with a view. */
export function useTransportKeys(): void {
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
    THROUGH,
  );
  useHotkeys('left, right', (_, { keys }) => goTo(playhead.get() + (keys?.includes('left') ? -1 : 1)), ON);
  useHotkeys(
    'shift+left, shift+right',
    (_, { keys }) => goTo(playhead.get() + (keys?.includes('left') ? -10 : 10)),
    ON,
  );
  useHotkeys('home', () => goTo(Number.NEGATIVE_INFINITY), ON);
  useHotkeys('end', () => goTo(Number.POSITIVE_INFINITY), ON);
}

export function useLayerKeys(): void {
  useTransportKeys();
  useHotkeys(
    'enter',
    (event) => {
      if (!belongsToControl(event)) keyLit();
    },
    THROUGH,
  );
  useHotkeys('shift+enter', keyLitWeight, ON);
  useHotkeys('ctrl+left, ctrl+right', (_, { keys }) => toKey(keys?.includes('left') ? -1 : 1), ON);
  useHotkeys('up', () => lightNeighbour(1), ON);
  useHotkeys('down', () => lightNeighbour(-1), ON);
  useHotkeys('delete, backspace', deleteSelected, ON);
  useHotkeys('escape', letGo, THROUGH);
}
