import { type Project } from '@evlay/core';
import { useStore } from 'zustand';
import { createStore } from 'zustand/vanilla';

/** Whether the project is on disk. */
export type Saving = { state: 'saved' } | { state: 'saving' } | { state: 'failed'; reason: string };

/** A change of the project: the functions in the core's `edit/`, closed over what they need. */
export type Edit = (project: Project) => Project;

interface ProjectState {
  /** Id under which the project is kept in this browser. */
  readonly id: string;
  readonly project: Project | undefined;
  readonly past: readonly Project[];
  readonly future: readonly Project[];
  /** The drag that the last edit belonged to: edits of one drag are one step of the history. */
  readonly drag: symbol | undefined;
  readonly saving: Saving;
}

const LONGEST_HISTORY = 500;

/** The project that is open: what is saved and what can be undone. */
export const projectStore = createStore<ProjectState>(() => ({
  id: '',
  project: undefined,
  past: [],
  future: [],
  drag: undefined,
  saving: { state: 'saved' },
}));

export const useProject = <T>(select: (project: Project) => T): T =>
  useStore(projectStore, (state) => select(state.project!));

export const currentProject = (): Project => projectStore.getState().project!;

export function openProject(
  id: string,
  project: Project,
  past: readonly Project[] = [],
  future: readonly Project[] = [],
): void {
  projectStore.setState({ id, project, past, future, drag: undefined, saving: { state: 'saved' } });
}

/** Changes the project. Edits with the same `drag` are undone together. */
export function edit(change: Edit, drag?: symbol): void {
  const state = projectStore.getState();
  const before = state.project;
  if (!before) return;
  const project = change(before);
  if (project === before) return;
  const goesOn = drag !== undefined && drag === state.drag;
  projectStore.setState({
    project,
    past: goesOn ? state.past : [...state.past.slice(-LONGEST_HISTORY), before],
    future: [],
    drag,
  });
}

export function undo(): void {
  const { past, project, future } = projectStore.getState();
  if (past.length === 0 || !project) return;
  projectStore.setState({
    project: past[past.length - 1],
    past: past.slice(0, -1),
    future: [project, ...future],
    drag: undefined,
  });
}

export function redo(): void {
  const { past, project, future } = projectStore.getState();
  if (future.length === 0 || !project) return;
  projectStore.setState({
    project: future[0],
    past: [...past, project],
    future: future.slice(1),
    drag: undefined,
  });
}

/** Lets go of the open project, unless this page is the only place that has it. */
export function closeProject(): void {
  const { saving } = projectStore.getState();
  if (saving.state !== 'failed')
    projectStore.setState({ id: '', project: undefined, past: [], future: [], drag: undefined });
}

export const setSaving = (saving: Saving): void => projectStore.setState({ saving });
