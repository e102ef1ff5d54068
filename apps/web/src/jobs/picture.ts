import type { Editor } from '../editor/editor.js';
import { putPicture } from '../storage/storage.js';

/** Milliseconds in which nothing has happened before a picture is taken. */
const IDLE = 1000;

/** Takes a small picture of the view, as a data URL. Undefined where there is none yet. */
export type TakePicture = () => Promise<string | undefined>;

let takePicture: TakePicture | undefined;

/** Names who takes the small picture that Projects shows. */
export function setPictureTaker(taker: TakePicture | undefined): void {
  takePicture = taker;
}

export interface Picture {
  readonly stop: () => void;
}

/**
 * Keeps the picture of a project true to it: taken after its work is on disk, and when nothing is going on, since it
 * costs a frame.
 */
export function keepPicture(editor: Editor): Picture {
  const { saving, session, playhead, history } = editor;
  let timer: ReturnType<typeof setTimeout> | undefined;
  let pictured: unknown;
  const later = () => {
    clearTimeout(timer);
    timer = setTimeout(async () => {
      const project = history.project();
      const { playing, previewing, looking } = session.getState();
      const busy = playing || editor.gesture !== undefined || saving.getState().state !== 'saved';
      if (busy || previewing || looking || pictured === project) return;
      const picture = await takePicture?.();
      if (!picture) {
        // The character is still being read.
        if (takePicture) later();
        return;
      }
      pictured = project;
      await putPicture(editor.id, picture).catch(() => undefined);
    }, IDLE);
  };
  const stops = [saving.subscribe(later), playhead.subscribe(later), session.subscribe(later)];
  later();
  return {
    stop() {
      clearTimeout(timer);
      for (const stop of stops) stop();
    },
  };
}
