import { createStore, type StoreApi } from 'zustand/vanilla';
import { type Display, newDisplay } from './session/display.js';
import { type Jobs, newJobs } from './session/jobs.js';
import { newPlayback, type Playback } from './session/playback.js';
import { newPosing, type Posing, posingAtRate } from './session/posing.js';
import { newSelection, type Selection } from './session/selection.js';

export * from './session/display.js';
export * from './session/film.js';
export * from './session/jobs.js';
export * from './session/notes.js';
export * from './session/playback.js';
export * from './session/posing.js';
export * from './session/selection.js';

/** What is not saved and not undone, in slices. */
export interface SessionState extends Selection, Posing, Display, Playback, Jobs {}

/**
 * Who writes what: those who work beside the page write of their work, those who show write how it is shown. Commands may
 * write everything.
 */
export const setSelection = ({ setState }: Session, to: Partial<Selection>): void => setState(to);
export const setPosing = ({ setState }: Session, to: Partial<Posing>): void => setState(to);
export const setDisplay = ({ setState }: Session, to: Partial<Display>): void => setState(to);
export const setPlayback = ({ setState }: Session, to: Partial<Playback>): void => setState(to);
export const setJobs = ({ setState }: Session, to: Partial<Jobs>): void => setState(to);

export interface Session extends StoreApi<SessionState> {
  /** Lights a layer and lets go of what was picked on another one. Layers that are picked stay so if it is among them. */
  readonly light: (id: string) => void;
}

/** What a session holds in frames, where so many times as many frames are counted a second. */
export function atRate(state: SessionState, ratio: number): Partial<SessionState> {
  const scaled = (range: readonly [number, number] | undefined) =>
    range && ([range[0] * ratio, range[1] * ratio] as const);
  const { references, film, review } = state;
  return {
    ...posingAtRate(state, ratio),
    window: scaled(state.window),
    playRange: scaled(state.playRange),
    references: references.map((one) => ({ ...one, offset: one.offset * ratio })),
    film: film && { ...film, range: scaled(film.range)! },
    review: review && { ...review, range: scaled(review.range)! },
  };
}

export function createSession(lit: string, looking: boolean, fps: number): Session {
  const store = createStore<SessionState>(() => ({
    ...newSelection(lit),
    ...newPosing(fps),
    ...newDisplay(),
    ...newPlayback(),
    ...newJobs(looking),
  }));
  store.subscribe(({ picked, faces }, before) => {
    if (picked !== before.picked && faces === before.faces && faces.length > 0) store.setState({ faces: [] });
  });
  const light = (id: string) => {
    if (store.getState().lit !== id)
      store.setState(({ layers }) => ({
        lit: id,
        layers: layers.includes(id) ? layers : [],
        keys: [],
        trial: undefined,
        asked: undefined,
      }));
  };
  return { ...store, light };
}
