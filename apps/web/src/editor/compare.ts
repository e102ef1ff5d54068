import { layerIndex, type Project, withVariant } from '@evlay/core';
import { createStore } from 'zustand/vanilla';
import { newSignal } from '../ui/signal.js';
import type { Before } from './compare-choices.js';
import type { Editor } from './editor.js';
import { layerAlone } from './seen.js';
import { createStage, type Stage } from './stage.js';

/** States that are made of others, by what they are made of: the same one each time, so that it is compiled once. */
const madeOf = new WeakMap<Project, Map<string, Project>>();

function made(project: Project, name: string, make: () => Project): Project {
  const known = madeOf.get(project) ?? new Map<string, Project>();
  madeOf.set(project, known);
  const before = known.get(name) ?? make();
  known.set(name, before);
  return before;
}

const firstLayers = (project: Project, count: number): Project =>
  made(project, `first ${count}`, () => ({ ...project, layers: project.layers.slice(0, count) }));

/** The project with which is compared. */
export function projectBefore({ kept, opened }: Editor, before: Before): Project {
  const now = kept.project();
  switch (before.kind) {
    case 'base':
      return firstLayers(now, 1);
    case 'opened':
      return opened;
    case 'variant':
      return made(now, `variant ${before.name}`, () => withVariant(now, before.name));
    case 'step': {
      const { past } = kept.store.getState();
      return past[Math.max(0, past.length - before.back)] ?? now;
    }
  }
}

/** What lies below the lit layer, as it is seen. */
export function projectBelow({ history, session }: Editor): Project {
  const project = history.project();
  const index = layerIndex(project, session.getState().lit);
  return firstLayers(project, Math.max(1, index));
}

/** A layer alone over the rest pose. */
export function projectOfOne({ history }: Editor, layer: string): Project {
  const project = history.project();
  return made(project, `alone ${layer}`, () => layerAlone(project, { layer, over: 'rest' }));
}

/** The lit layer alone over the rest pose. */
export const projectOfLayer = (editor: Editor): Project =>
  projectOfOne(editor, editor.session.getState().lit);

/**
 * Another state of the project at the frame that is shown, or so many frames beside it. It is read anew whenever
 * something changes. It ends with its `stop`.
 */
export function otherStage(editor: Editor, read: () => Project, beside = 0): Stage {
  const store = createStore(() => ({ project: read() }));
  const at = newSignal(editor.playhead.get() + beside);
  const follow = () => {
    const project = read();
    if (project !== store.getState().project) store.setState({ project });
  };
  const stops = [
    editor.seen.subscribe(follow),
    editor.kept.store.subscribe(follow),
    editor.session.subscribe((now, before) => {
      if (now.lit !== before.lit || now.compare !== before.compare) follow();
    }),
    editor.playhead.subscribe(() => at.set(editor.playhead.get() + beside)),
  ];
  const stage = createStage(store, at, editor.stage.stacks);
  return {
    ...stage,
    stop() {
      for (const stop of stops) stop();
      stage.stop();
    },
  };
}
