import { useStore } from 'zustand';
import { persist } from 'zustand/middleware';
import { createStore } from 'zustand/vanilla';

interface Preferences {
  /** Draws without shadows, and at half the resolution while something moves. */
  readonly lightDisplay: boolean;
  /** Whether less is drawn by itself where frames are slow. */
  readonly lightWhenSlow: boolean;
  /** Seconds on both sides over which a change that acts around a frame comes and goes. */
  readonly aroundSeconds: number;
  /** Rows of panels that were opened or folded, by their names. */
  readonly folds: Readonly<Record<string, boolean>>;
  /** Which of the short pieces of work is tried, counted from 0; none where missing. */
  readonly trying?: number;
  /** Keys that were changed, by the names of commands. */
  readonly keys: Readonly<Record<string, string>>;
  /** Who notes are of that are made here. */
  readonly name: string;
  /** Where a capture stage was listened to last. */
  readonly stage: string;
  /** How things were shown and set last, by the names that an editor's session has for them. */
  readonly session: Readonly<Record<string, unknown>>;
}

/** What this browser remembers of how things are to be shown, whichever project is open. */
export const preferences = createStore<Preferences>()(
  persist(
    (): Preferences => ({
      lightDisplay: false,
      lightWhenSlow: true,
      aroundSeconds: 0.27,
      folds: {},
      keys: {},
      name: '',
      stage: 'ws://localhost:4300',
      session: {},
    }),
    {
      name: 'evlay.preferences',
    },
  ),
);

export const usePreference = <T>(select: (state: Preferences) => T): T => useStore(preferences, select);
