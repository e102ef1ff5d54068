import { layerIndex, type Project, withVariant } from '@evlay/core';
import { createStore } from 'zustand/vanilla';
import { newSignal } from '../ui/signal.js';
import type { Before } from './compare-choices.js';
import type { Editor } from './editor.js';
import { layerAlone } from './seen.js';
import { createStage, type Stage } from './stage.js';

/** The project with which is compared. */
export function projectBefore({ kept, opened }: Editor, before: Before): Project {
  const now = kept.project();
  switch (before.kind) {
    case 'base':
      return { ...now, layers: now.layers.slice(0, 1) };
    case 'opened':
      return opened;
    case 'variant':
      return withVariant(now, before.name);
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
  return { ...project, layers: project.layers.slice(0, Math.max(1, index)) };
}

/** The lit layer alone over the rest pose. */
export const projectOfLayer = ({ history, session }: Editor): Project =>
  layerAlone(history.project(), { layer: session.getState().lit, over: 'rest' });

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
  const stage = createStage(store, at);
  return {
    ...stage,
    stop() {
      for (const stop of stops) stop();
      stage.stop();
    },
  };
}
