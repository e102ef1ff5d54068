import type { SavedView } from '@evlay/core';

/** From where the character is looked at: from one of its sides, or at its face alone. */
export type CharacterSide = 'front' | 'side' | 'top' | 'face';

/** From where the view is to look. */
export type ViewFrom = CharacterSide | Pick<SavedView, 'from' | 'at'>;

/** What is asked of the screen once and leaves nothing behind. */
interface Asked {
  /** The view frames the character. */
  readonly frameCharacter: undefined;
  readonly lookFrom: ViewFrom;
  /** The curves go to a scale at which all of them are seen. */
  readonly fitCurves: undefined;
}

export interface Events {
  readonly emit: <E extends keyof Asked>(name: E, value: Asked[E]) => void;
  /** Calls back when it is asked; returns what ends that. */
  readonly on: <E extends keyof Asked>(name: E, listener: (value: Asked[E]) => void) => () => void;
}

export function createEvents(): Events {
  const listeners = new Map<string, Set<(value: never) => void>>();
  return {
    emit(name, value) {
      for (const listener of listeners.get(name) ?? []) (listener as (given: typeof value) => void)(value);
    },
    on(name, listener) {
      const heard = listeners.get(name) ?? new Set();
      listeners.set(name, heard);
      heard.add(listener);
      return () => heard.delete(listener);
    },
  };
}
