import { frameNumber, type Note } from '@evlay/core';
import { Cancelled, type Job, startJob } from '@evlay/core/job';
import { drawStrokes } from '@evlay/player/strokes';
import type { Editor } from '../editor/editor.js';
import { secondAt } from '../editor/reference.js';
import { type FilmCamera, type FilmSettings, type ReferenceVideo, setJobs } from '../editor/session.js';
import { even, type FilmEncoder, filmEncoder } from './film-encoders.js';
import { cellOf, type Pane, panesOf, picturesOf, within, writeCaption, writeNote } from './film-layout.js';
import { whenMade } from './open.js';

/** What fills a picture where nothing is seen. */
const BARS = '#05090B';

/** Sizes that a video takes are even. */
const sizedFor = (settings: FilmSettings): FilmSettings =>
  settings.kind === 'sheet'
    ? { ...settings, ...cellOf(settings) }
    : settings.kind === 'mp4' || settings.kind === 'webm'
      ? { ...settings, width: even(settings.width), height: even(settings.height) }
      : settings;

/**
 * Makes a film of what an editor shows, picture after picture, on a stage of its own that the page sets up: what is worked on
 * meanwhile goes on, and is not in it.
 */
export function makeFilm(editor: Editor, wanted: FilmSettings): Job<Blob> {
  const settings = sizedFor(wanted);
  const { session } = editor;
  const job: Job<Blob> = startJob('Filming', async ({ signal, onProgress }) => {
    await whenMade(editor);
    // Variants are of the stack that is kept, whichever of them is shown.
    const project = (settings.variants.length > 0 ? editor.kept : editor.history).settled();
    const { reference } = session.getState();
    const panes = panesOf(settings, reference !== undefined);
    const inner = panes.pictures.map((pane) => (settings.ratio ? within(pane, settings.ratio) : pane));
    const camera = await new Promise<FilmCamera>((resolve, reject) => {
      signal.addEventListener('abort', () => reject(new Cancelled()));
      setJobs(session, {
        filming: {
          job,
          project,
          settings,
          // Panes differ by a pixel at most.
          size: [inner[0].width, inner[0].height],
          since: performance.now(),
          ready: resolve,
        },
      });
    });
    const video = panes.reference && reference ? await openVideo(reference) : undefined;
    const canvas = document.createElement('canvas');
    canvas.width = settings.width;
    canvas.height = settings.height;
    const context = canvas.getContext('2d', { willReadFrequently: settings.kind === 'gif' })!;
    let encoder: FilmEncoder | undefined;
    try {
      encoder = await filmEncoder(settings.kind === 'sheet' ? wanted : settings);
      const pictures = picturesOf(settings, project.fps);
      const named = settings.variants.length > 1;
      for (const [k, { frame, variants }] of pictures.entries()) {
        if (signal.aborted) throw new Cancelled();
        context.fillStyle = BARS;
        context.fillRect(0, 0, settings.width, settings.height);
        if (video && reference && panes.reference)
          await drawVideo(context, panes.reference, video, reference, frame, project.fps);
        for (const [p, variant] of variants.entries()) {
          const layers = camera.draw(frame, variant);
          const pane = inner[p];
          context.drawImage(camera.canvas, pane.x, pane.y, pane.width, pane.height);
          writeCaption(context, pane, {
            number:
              settings.numbers && p === variants.length - 1
                ? numberText(frameNumber(project, frame))
                : undefined,
            variant: named ? variant : undefined,
            layers: settings.layers ? layers : [],
            line: p === 0 ? settings.line : '',
          });
          if (settings.notes) drawNotes(context, pane, project.notes, frame, project.fps);
        }
        await encoder.add(canvas, k);
        onProgress((k + 1) / pictures.length);
        // The page stays alive between two pictures.
        await new Promise((resolve) => setTimeout(resolve));
      }
      return await encoder.finish();
    } catch (error) {
      await encoder?.stop();
      throw error;
    } finally {
      video?.remove();
      if (session.getState().filming?.job === job) setJobs(session, { filming: undefined });
    }
  });
  // A film that is cancelled before it has a stage leaves none.
  void job.result
    .catch(() => undefined)
    .then(() => {
      if (session.getState().filming?.job === job) setJobs(session, { filming: undefined });
    });
  return job;
}

/** Seconds for which a note is seen from its frame on. */
const SEEN = 0.8;

/** Draws notes at their frames, for a little: what was drawn, and who says what. */
function drawNotes(
  context: CanvasRenderingContext2D,
  pane: Pane,
  notes: readonly Note[],
  frame: number,
  fps: number,
): void {
  const here = notes.filter((note) => frame >= note.frame - 0.5 && frame < note.frame + SEEN * fps);
  context.save();
  context.beginPath();
  context.rect(pane.x, pane.y, pane.width, pane.height);
  context.clip();
  context.translate(pane.x, pane.y);
  for (const { strokes } of here) drawStrokes(context, pane.width, pane.height, strokes);
  context.restore();
  for (const [k, { by, text }] of here.entries())
    writeNote(context, pane, text === '' ? by : `${by}: ${text}`, k);
}

/** Four digits at least, as at the playhead; what lies between two frames with a tenth. */
const numberText = (frame: number): string =>
  Number.isInteger(frame) ? String(frame).padStart(4, '0') : frame.toFixed(1).padStart(6, '0');

async function openVideo({ url, name }: ReferenceVideo): Promise<HTMLVideoElement> {
  const video = document.createElement('video');
  video.muted = true;
  video.preload = 'auto';
  video.src = url;
  await new Promise<void>((resolve, reject) => {
    video.addEventListener('loadeddata', () => resolve(), { once: true });
    video.addEventListener('error', () => reject(new Error(`${name} cannot be read as a video`)), {
      once: true,
    });
  });
  return video;
}

/** Draws the picture of a video that belongs to a frame, as large as it fits. */
async function drawVideo(
  context: CanvasRenderingContext2D,
  pane: Pane,
  video: HTMLVideoElement,
  reference: ReferenceVideo,
  frame: number,
  fps: number,
): Promise<void> {
  const second = Math.min(secondAt(reference, frame, fps), video.duration);
  if (Math.abs(video.currentTime - second) > 1e-4) {
    const sought = new Promise((resolve) => video.addEventListener('seeked', resolve, { once: true }));
    video.currentTime = second;
    await sought;
  }
  const { x, y, width, height } = within(pane, video.videoWidth / video.videoHeight);
  context.drawImage(video, x, y, width, height);
}
