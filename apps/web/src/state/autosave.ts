import { currentProject, projectStore, setSaving } from './project-store.js';
import { saveProject, storageReason } from './storage.js';

const WAIT = 300;

let timer: ReturnType<typeof setTimeout> | undefined;
let running: Promise<void> = Promise.resolve();
let takePicture: () => string | undefined = () => undefined;

/** Names who makes the small picture that is kept with a project. */
export function setPictureMaker(maker: (() => string | undefined) | undefined): void {
  takePicture = maker ?? (() => undefined);
}

/** The picture of a project as its view was left; it is saved with the project. */
let kept: { id: string; picture: string } | undefined;

/** Keeps a picture of the view, which is about to go. */
export function keepPicture(): void {
  const picture = takePicture();
  if (picture) kept = { id: projectStore.getState().id, picture };
}

/**
 * Saves the open project at once, after a save that is under way. `pictured` false leaves the view alone, which may
 * be busy with its first picture.
 */
export function saveNow(pictured = true): Promise<void> {
  clearTimeout(timer);
  timer = undefined;
  const { id, project, past, future } = projectStore.getState();
  if (!project) return running;
  const picture = (pictured ? takePicture() : undefined) ?? (kept?.id === id ? kept.picture : undefined);
  running = running.then(async () => {
    try {
      await saveProject(id, project, { past, future, picture });
      if (projectStore.getState().id === id && currentProject() === project) setSaving({ state: 'saved' });
    } catch (error) {
      setSaving({ state: 'failed', reason: storageReason(error) });
    }
  });
  return running;
}

/** Saves a while after every change, and when the page is left. */
export function startAutosave(): () => void {
  const leave = () => {
    if (timer !== undefined) void saveNow();
  };
  const stop = projectStore.subscribe((state, before) => {
    if (state.project === before.project || state.id !== before.id) return;
    if (state.saving.state !== 'failed') setSaving({ state: 'saving' });
    clearTimeout(timer);
    timer = setTimeout(() => saveNow(), WAIT);
  });
  document.addEventListener('visibilitychange', leave);
  window.addEventListener('pagehide', leave);
  return () => {
    stop();
    leave();
    document.removeEventListener('visibilitychange', leave);
    window.removeEventListener('pagehide', leave);
  };
}
