import { type Project, withVariant } from '@evlay/core';
import { editVariant } from '@evlay/core/edit';
import { createStore } from 'zustand/vanilla';
import type { Edit, History, HistoryState } from './history.js';
import type { Session } from './session.js';

/**
 * The history as it is shown while a variant is: its project has the values of the variant, and what is edited goes
 * where the session says, into the variant or into the layers. Without a variant it is the history that is kept. Returns
 * with it what ends that.
 */
export function showVariant(kept: History, session: Session): { history: History; stop: () => void } {
  let known: { readonly of: Project; readonly variant: string; readonly project: Project } | undefined;
  const shown = (project: Project): Project => {
    const { variant } = session.getState();
    if (variant === undefined) return project;
    if (known?.of !== project || known.variant !== variant)
      known = { of: project, variant, project: withVariant(project, variant) };
    return known.project;
  };
  const state = (): HistoryState => {
    const now = kept.store.getState();
    return { ...now, project: shown(now.project) };
  };
  const through = (edit: Edit): Edit => {
    const { variant, variantTakes } = session.getState();
    return variant === undefined ? edit : (project) => editVariant(project, variant, edit, variantTakes);
  };
  const store = createStore<HistoryState>(state);
  const follow = () => store.setState(state(), true);
  const stops = [
    kept.store.subscribe(follow),
    session.subscribe((now, before) => {
      if (now.variant !== before.variant) follow();
    }),
  ];
  return {
    history: {
      store,
      project: () => store.getState().project,
      settled: () => shown(kept.settled()),
      edit: (edit, step) => kept.edit(through(edit), step),
      undo: kept.undo,
      redo: kept.redo,
      doneTo: kept.doneTo,
      mark(name) {
        const mark = kept.mark(name);
        return { ...mark, change: (edit) => mark.change(through(edit)) };
      },
      fill: kept.fill,
      onRefused: kept.onRefused,
    },
    stop: () => stops.forEach((stop) => void stop()),
  };
}
