import { type Trial } from '@evlay/core/edit';
import { useStore } from 'zustand';
import { createStore } from 'zustand/vanilla';

/** What is picked on the lanes: keys of the lit layer by their own frame, or points of its weight by id. */
export interface Selection {
  readonly kind: 'keys' | 'weights';
  readonly frames: readonly number[];
  readonly ids: readonly string[];
}

export const NOTHING: Selection = { kind: 'keys', frames: [], ids: [] };

interface SessionState {
  /** The layer that receives keys. */
  readonly lit: string;
  /** Indices of the picked joints; the last one has the handles in the view. */
  readonly picked: readonly number[];
  /** Parts picked on the body map. */
  readonly parts: readonly string[];
  readonly selection: Selection;
  readonly autoKey: boolean;
  /** A pose that is tried on a layer and not keyed. */
  readonly trial: Trial | undefined;
  readonly playing: boolean;
  readonly loop: boolean;
  readonly surface: 'skin' | 'bones';
  readonly colours: boolean;
  readonly follow: boolean;
  /** Whether handles turn or move. */
  readonly handle: 'turn' | 'move';
  /** Whether they place the lit layer's whole performance, and not a joint. */
  readonly placing: boolean;
  /** Whether dragging on the lit lane draws its weight. */
  readonly drawing: boolean;
  /** First and last frame that the lanes show; the whole range where undefined. */
  readonly window: readonly [number, number] | undefined;
  /** Name of the file that is being opened. */
  readonly opening: string | undefined;
  /** Id of the take that is chosen on the screen Takes. */
  readonly take: string | undefined;
  /** Whether that take is shown alone, in place of the stack. */
  readonly previewing: boolean;
}

const START: SessionState = {
  lit: '',
  picked: [],
  parts: [],
  selection: NOTHING,
  autoKey: true,
  trial: undefined,
  playing: false,
  loop: true,
  surface: 'skin',
  colours: true,
  follow: true,
  handle: 'turn',
  placing: false,
  drawing: false,
  window: undefined,
  opening: undefined,
  take: undefined,
  previewing: false,
};

/** What is not saved and not undone: selection, playing, how things are shown. */
export const sessionStore = createStore<SessionState>(() => START);

export const useSession = <T>(select: (state: SessionState) => T): T => useStore(sessionStore, select);

export const setSession = (values: Partial<SessionState>): void => sessionStore.setState(values);

/** Starts afresh for a project that was opened, with a layer lit. */
export const resetSession = (lit: string): void => sessionStore.setState({ ...START, lit });

/** Lights a layer and lets go of what was selected on another one. */
export function light(id: string): void {
  if (sessionStore.getState().lit !== id) setSession({ lit: id, selection: NOTHING, trial: undefined });
}
