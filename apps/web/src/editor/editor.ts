import type { Project, SavedView } from '@evlay/core';
import { createStore, type StoreApi } from 'zustand/vanilla';
import { newSignal, type Signal } from '../ui/signal.js';
import { createEvents, type Events } from './events.js';
import { followCharacter, followProject, followRange } from './follow.js';
import { createHistory, type History } from './history.js';
import { createSeen, type Seen } from './seen.js';
import { createSession, type Session } from './session.js';
import { showVariant } from './shown-history.js';
import { createStage, type Stage } from './stage.js';
import { createTransport, type Transport } from './transport.js';

/** Whether the project is on disk. */
export type Saving = { state: 'saved' } | { state: 'saving' } | { state: 'failed'; reason: string };

/** A gesture that is under way. Whoever does something else ends it first. */
export interface OpenGesture {
  readonly commit: () => void;
  readonly cancel: () => void;
}

/**
 * One open project with all that belongs to it. Several can stand side by side: nothing is shared between them, and
 * none needs a page.
 */
export interface Editor {
  /** Under which the project is kept in this browser. */
  readonly id: string;
  /** The project as it was when it was opened. */
  readonly opened: Project;
  /** The project as it is kept, and what it was before. */
  readonly kept: History;
  /** The same with the values of the variant that is shown, if one is: what is edited and seen. */
  readonly history: History;
  readonly session: Session;
  /** What is asked of the screen once. */
  readonly events: Events;
  /** The frame that is shown. It changes up to sixty times a second, so it lives outside React. */
  readonly playhead: Signal;
  readonly transport: Transport;
  readonly seen: Seen;
  readonly stage: Stage;
  readonly saving: StoreApi<Saving>;
  /** From where the view looks, while there is one. */
  viewpoint: (() => Viewpoint) | undefined;
  /** Where a place of the scene is seen in the view: across and down from its middle, in its heights, and how long a height is there; places in the rig's unit. */
  onPicture: ((place: ArrayLike<number>) => readonly [number, number, number]) | undefined;
  /** How low the character's surface reaches, from the global matrices of all joints, while it is in sight. */
  lowest: ((matrices: Float64Array) => number) | undefined;
  /** The drag that is under way. */
  gesture: OpenGesture | undefined;
  readonly dispose: () => void;
}

/** From where a view looks, and where to, in the rig's unit. */
export type Viewpoint = Pick<SavedView, 'from' | 'at'>;

/** What an editor starts from beside the project. */
export interface EditorStart {
  readonly id?: string;
  readonly past?: readonly Project[];
  readonly future?: readonly Project[];
  /** Whether the project can only be looked at. */
  readonly looking?: boolean;
}

/** Why a project that is open elsewhere cannot be changed. */
export const LOOKING = 'Another tab has the project open, so here it can only be looked at';

/** Opens a project, with its topmost layer lit and its first frame shown. */
export function createEditor(
  project: Project,
  { id = '', past, future, looking = false }: EditorStart = {},
): Editor {
  // What began before the project was taken over by another tab may end after that: it changes nothing any more.
  const kept = createHistory(project, past, future, () => (session.getState().looking ? LOOKING : undefined));
  const session = createSession(project.layers[project.layers.length - 1].id, looking, project.fps);
  const { history, stop: unshow } = showVariant(kept, session);
  const playhead = newSignal(project.range[0]);
  // The character that is lit is one that is there before anything else of the session changes and is shown.
  const uncast = followCharacter(history, session);
  const unfollow = followProject(history, session);
  const { seen, stop } = createSeen(history, session);
  const stage = createStage(seen, playhead);
  const unbound = followRange(history, seen, playhead);
  return {
    id,
    opened: project,
    kept,
    history,
    session,
    events: createEvents(),
    playhead,
    transport: createTransport(playhead, seen, session, stage),
    seen,
    stage,
    saving: createStore<Saving>(() => ({ state: 'saved' })),
    viewpoint: undefined,
    onPicture: undefined,
    lowest: undefined,
    gesture: undefined,
    dispose() {
      session.setState({ playing: false });
      unfollow();
      uncast();
      unbound();
      stage.stop();
      stop();
      unshow();
    },
  };
}
