import { type Project, tooManyKeys, withIds } from '@evlay/core';
import { followKeys } from '@evlay/core/edit';
import { createStore, type StoreApi } from 'zustand/vanilla';

/** A change of the project: the functions in the core's `edit/`, closed over what they need. */
export type Edit = (project: Project) => Project;

export interface HistoryState {
  readonly project: Project;
  readonly past: readonly Project[];
  readonly future: readonly Project[];
  /** The project as it was when the gesture that is under way began. */
  readonly mark: Project | undefined;
  /** What the last edit belonged to: edits with the same one are one step. */
  readonly step: symbol | undefined;
}

/** A gesture that is under way: it changes the project as often as it wants, and is one step or none. */
export interface Mark {
  /** Changes the project as it is now. */
  readonly change: (edit: Edit) => void;
  /** Keeps what was changed, as one step. */
  readonly commit: () => void;
  /** Goes back to the mark. */
  readonly cancel: () => void;
}

/** A project with the steps before and after it. */
export interface History {
  readonly store: StoreApi<HistoryState>;
  readonly project: () => Project;
  /** The project without what a gesture that is under way has changed: what is kept. */
  readonly settled: () => Project;
  /** Changes the project; edits of one `step` are undone together. During a gesture it comes before the gesture. */
  readonly edit: (edit: Edit, step?: symbol) => void;
  readonly undo: () => void;
  readonly redo: () => void;
  /** Begins a gesture, which is called so where it is undone. */
  readonly mark: (name?: string) => Mark;
  /** What was done to come to a state of the project, by its name; undefined for the first, and for those of before a reload. */
  readonly doneTo: (project: Project) => string | undefined;
  /** Puts what was worked out meanwhile into every state that wants it. This is no step. */
  readonly fill: (put: Edit) => void;
  /** Calls when an edit was not made because its result could not be kept, with the reason; of a gesture once. */
  readonly onRefused: (listener: (reason: string) => void) => void;
}

const LONGEST = 500;

const added = (past: readonly Project[], project: Project) => [...past.slice(1 - LONGEST), project];

/** Keeps a project with its steps; `closed` says why it cannot be changed, where it cannot. */
export function createHistory(
  start: Project,
  past: readonly Project[] = [],
  future: readonly Project[] = [],
  closed: () => string | undefined = () => undefined,
): History {
  const store = createStore<HistoryState>(() => ({
    project: start,
    past,
    future,
    mark: undefined,
    step: undefined,
  }));
  const { getState, setState } = store;
  const listeners: ((reason: string) => void)[] = [];
  const names = new WeakMap<Project, string>();
  const call = (project: Project, name: string | undefined): void => {
    if (name !== undefined) names.set(project, name);
  };

  /** The result of an edit; the project as it is where that could not be read back from a file. */
  const made = (change: Edit, before: Project, tell: (reason: string) => void): Project => {
    const shut = closed();
    if (shut !== undefined) {
      tell(shut);
      return before;
    }
    const project = followKeys(change(before), before);
    const reason = project.layers === before.layers ? undefined : tooManyKeys(project);
    if (reason === undefined || tooManyKeys(before) !== undefined) return project;
    tell(reason);
    return before;
  };
  const tellAll = (reason: string): void => {
    for (const listener of listeners) listener(reason);
  };

  const edit = (once: Edit, step?: symbol): void => {
    // During a gesture it is done twice, to what is kept and to what is seen, and makes the same ids.
    const ids: string[] = [];
    const change: Edit = (project) => withIds(ids, () => once(project));
    const { project: before, past, mark, step: last } = getState();
    const project = made(change, before, tellAll);
    if (project === before) return;
    call(project, step?.description);
    const goesOn = step !== undefined && step === last;
    const kept = mark ?? before;
    setState({
      project,
      past: goesOn ? past : added(past, kept),
      future: [],
      step,
      // Where the gesture has changed nothing yet, both stay one.
      ...(mark && { mark: mark === before ? project : change(mark) }),
    });
    const { mark: now } = getState();
    if (now) call(now, step?.description);
  };

  const go = (past: readonly Project[], project: Project | undefined, future: readonly Project[]): void => {
    if (project) setState({ past, project, future, mark: undefined, step: undefined });
  };

  const mark = (name?: string): Mark => {
    setState(({ project }) => ({ mark: project, step: undefined }));
    let open = true;
    let told = false;
    const tellOnce = (reason: string): void => {
      if (!told) tellAll(reason);
      told = true;
    };
    return {
      change(change) {
        if (!open) return;
        const { project: before } = getState();
        const project = made(change, before, tellOnce);
        if (project !== before) setState({ project });
      },
      commit() {
        const { project, past, mark: from } = getState();
        if (!open || !from) return;
        open = false;
        if (project !== from) call(project, name);
        if (project === from) setState({ mark: undefined });
        else setState({ past: added(past, from), future: [], mark: undefined });
      },
      cancel() {
        const { mark: from } = getState();
        if (!open || !from) return;
        open = false;
        setState({ project: from, mark: undefined });
      },
    };
  };

  return {
    store,
    project: () => getState().project,
    settled: () => getState().mark ?? getState().project,
    edit,
    undo() {
      const { past, project, future } = getState();
      go(past.slice(0, -1), past.at(-1), [project, ...future]);
    },
    redo() {
      const { past, project, future } = getState();
      go([...past, project], future[0], future.slice(1));
    },
    mark,
    doneTo: (project) => names.get(project),
    onRefused: (listener) => void listeners.push(listener),
    fill(put) {
      const state = getState();
      const filledOne = (project: Project): Project => {
        const filled = put(project);
        call(filled, names.get(project));
        return filled;
      };
      const all = (projects: readonly Project[]) => {
        const filled = projects.map(filledOne);
        return filled.every((project, i) => project === projects[i]) ? projects : filled;
      };
      setState({
        project: filledOne(state.project),
        past: all(state.past),
        future: all(state.future),
        mark: state.mark && put(state.mark),
      });
    },
  };
}
