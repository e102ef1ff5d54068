import { frameNumber, type Note } from '@evlay/core';
import { secondOf } from '@evlay/core/format';
import { Cancelled, type Job, startJob } from '@evlay/core/job';
import { drawStrokes } from '@evlay/player/strokes';
import type { Editor } from '../editor/editor.js';
import { type FilmCamera, type FilmSettings, type Reference, setJobs } from '../editor/session.js';
import { even, type FilmEncoder, filmEncoder } from './film-encoders.js';
import { cellOf, type Pane, panesOf, picturesOf, within, writeCaption, writeNote } from './film-layout.js';
import { whenMade } from './open.js';

/** Seconds behind the beginning of a picture of a video at which it is asked for: at its very beginning rounding would show the one before. */
const INSIDE = 0.002;

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
    const { references } = session.getState();
    const beside = settings.reference ? references.filter(({ place }) => place !== 'plate') : [];
    const panes = panesOf(settings, beside.length);
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
    const pictures = await Promise.all(beside.map(openReference));
    const plates = await Promise.all(
      settings.camera === undefined
        ? []
        : references.filter(({ place }) => place === 'plate').map(openReference),
    );
    const canvas = document.createElement('canvas');
    canvas.width = settings.width;
    canvas.height = settings.height;
    const context = canvas.getContext('2d', { willReadFrequently: settings.kind === 'gif' })!;
    let encoder: FilmEncoder | undefined;
    try {
      encoder = await filmEncoder(settings.kind === 'sheet' ? wanted : settings);
      const frames = picturesOf(settings, project.fps);
      const named = settings.variants.length > 1;
      for (const [k, { frame, variants }] of frames.entries()) {
        if (signal.aborted) throw new Cancelled();
        context.fillStyle = BARS;
        context.fillRect(0, 0, settings.width, settings.height);
        for (const [p, picture] of pictures.entries()) {
          const pane = within(panes.references[p], picture.ratio);
          await picture.seek(frame, project.fps);
          context.drawImage(picture.image, pane.x, pane.y, pane.width, pane.height);
          if (settings.notes)
            drawNotes(context, pane, notesOver(project.notes, picture.name), frame, project.fps);
        }
        for (const plate of plates) await plate.seek(frame, project.fps);
        for (const [p, variant] of variants.entries()) {
          const layers = camera.draw(frame, variant);
          const pane = inner[p];
          for (const plate of plates) drawCovering(context, pane, plate);
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
          if (settings.notes)
            drawNotes(context, pane, notesOver(project.notes, undefined), frame, project.fps);
        }
        await encoder.add(canvas, k);
        onProgress((k + 1) / frames.length);
        // The page stays alive between two pictures.
        await new Promise((resolve) => setTimeout(resolve));
      }
      return await encoder.finish();
    } catch (error) {
      await encoder?.stop();
      throw error;
    } finally {
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

/** The notes that were drawn over a reference, by its name, or over the view. */
const notesOver = (notes: readonly Note[], over: string | undefined): Note[] =>
  notes.filter((note) => note.over === over);

/** A reference that is drawn into a film: what it shows, once it was brought to a frame. */
interface OpenReference {
  readonly name: string;
  readonly image: HTMLVideoElement | HTMLImageElement;
  /** Width by height. */
  readonly ratio: number;
  readonly opacity: number;
  readonly seek: (frame: number, fps: number) => Promise<void>;
}

async function openReference(reference: Reference): Promise<OpenReference> {
  const { url, name, kind, opacity } = reference;
  const image = kind === 'video' ? document.createElement('video') : new Image();
  const loaded = new Promise<void>((resolve, reject) => {
    image.addEventListener(kind === 'video' ? 'loadeddata' : 'load', () => resolve(), { once: true });
    image.addEventListener('error', () => reject(new Error(`${name} cannot be read as a ${kind}`)), {
      once: true,
    });
  });
  if (image instanceof HTMLVideoElement) {
    image.muted = true;
    image.preload = 'auto';
  }
  image.src = url;
  await loaded;
  if (image instanceof HTMLImageElement)
    return {
      name,
      image,
      ratio: image.naturalWidth / image.naturalHeight,
      opacity,
      seek: () => Promise.resolve(),
    };
  return {
    name,
    image,
    ratio: image.videoWidth / image.videoHeight,
    opacity,
    async seek(frame, fps) {
      const second = Math.min(secondOf(reference, frame, fps) + INSIDE, image.duration);
      if (Math.abs(image.currentTime - second) <= 1e-4) return;
      const sought = new Promise((resolve) => image.addEventListener('seeked', resolve, { once: true }));
      image.currentTime = second;
      await sought;
    },
  };
}

/** Draws a plate so that it fills a pane, its middle in the middle. */
function drawCovering(
  context: CanvasRenderingContext2D,
  pane: Pane,
  { image, ratio, opacity }: OpenReference,
): void {
  const [wide, high] =
    pane.width / pane.height > ratio ? [pane.width, pane.width / ratio] : [pane.height * ratio, pane.height];
  context.save();
  context.beginPath();
  context.rect(pane.x, pane.y, pane.width, pane.height);
  context.clip();
  context.globalAlpha = opacity;
  context.drawImage(image, pane.x + (pane.width - wide) / 2, pane.y + (pane.height - high) / 2, wide, high);
  context.restore();
}
