import { newLayer, type Project, type Take } from '@evlay/core';
import { projectFromTake, withTrial } from '@evlay/core/edit';
import { playsOn } from '@evlay/core/match';
import { takeDuration } from '@evlay/core/take';
import { useStore } from 'zustand';
import { createStore } from 'zustand/vanilla';
import { projectStore } from './project-store.js';
import { sessionStore } from './session-store.js';

/** The project as it is seen: with a pose that is tried, or with a take alone in place of its stack. */
export const seenStore = createStore<{ readonly project: Project | undefined }>(() => ({
  project: undefined,
}));

export const seenProject = (): Project | undefined => seenStore.getState().project;

export const useSeen = <T>(select: (project: Project) => T): T =>
  useStore(seenStore, (state) => select(state.project!));

/** A take alone, at the project's rate: on the character where it plays there, else on its own skeleton. */
function takeAlone(project: Project, take: Take): Project {
  const range = [0, Math.max(1, Math.round(takeDuration(take) * project.fps))] as const;
  const layers = [
    newLayer(take.name, 'override', { id: take.id, take: { id: take.id, reference: 'first' } }),
  ];
  return playsOn(project.rig, take)
    ? { ...project, range, layers }
    : { ...projectFromTake(take), fps: project.fps, range, layers };
}

function follow(): void {
  const { project } = projectStore.getState();
  const { trial, previewing, take: id } = sessionStore.getState();
  const before = seen;
  if (
    before &&
    before.project === project &&
    before.trial === trial &&
    before.previewing === previewing &&
    before.id === id
  )
    return;
  seen = { project, trial, previewing, id };
  const take = previewing ? project?.takes.find((one) => one.id === id) : undefined;
  seenStore.setState({
    project: project && (take ? takeAlone(project, take) : withTrial(project, trial)),
  });
}

let seen: { project: unknown; trial: unknown; previewing: boolean; id: unknown } | undefined;

projectStore.subscribe(follow);
sessionStore.subscribe(follow);
