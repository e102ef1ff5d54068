import { playhead } from './playhead.js';
import { projectStore } from './project-store.js';
import { seenProject } from './seen.js';
import { light, sessionStore, setSession } from './session-store.js';

/**
 * Keeps the session true to the project when an edit, or an undo, takes away what it points at: the lit layer,
 * the layer of a tried pose, the frame at the playhead.
 */
export function sessionFollowsProject(): void {
  projectStore.subscribe(({ project }, before) => {
    if (!project || project === before.project) return;
    const has = (id: string) => project.layers.some((layer) => layer.id === id);
    const { lit, trial } = sessionStore.getState();
    if (trial && !has(trial.layer)) setSession({ trial: undefined });
    if (!has(lit)) {
      const was = before.project?.layers.findIndex((layer) => layer.id === lit) ?? -1;
      const near = Math.max(0, Math.min(was - 1, project.layers.length - 1));
      light(project.layers[was < 0 ? project.layers.length - 1 : near].id);
    }
    const [first, last] = (seenProject() ?? project).range;
    playhead.set(Math.min(last, Math.max(first, playhead.get())));
  });
}
