import { Zip, ZipPassThrough } from 'fflate';
import type { FilmKind, FilmSettings } from '../editor/session.js';
import { cellOf } from './film-layout.js';

/** Takes the pictures of a film one after the other. */
export interface FilmEncoder {
  readonly add: (canvas: HTMLCanvasElement, picture: number) => Promise<void>;
  readonly finish: () => Promise<Blob>;
  /** Lets go of everything; nothing is left of what was added. */
  readonly stop: () => Promise<void>;
}

export const FILM_ENDINGS: Readonly<Record<FilmKind, string>> = {
  mp4: 'mp4',
  webm: 'webm',
  gif: 'gif',
  pictures: 'zip',
  picture: 'png',
  sheet: 'png',
};

const CODECS = { mp4: ['avc'], webm: ['vp9', 'av1'] } as const;

/** The first codec of a kind of video that this browser encodes at a size; undefined where it encodes none. */
async function codecOf(kind: 'mp4' | 'webm', width: number, height: number) {
  const { getFirstEncodableVideoCodec } = await import('mediabunny');
  const codec = await getFirstEncodableVideoCodec([...CODECS[kind]], { width, height });
  return codec ?? undefined;
}

/** Why a film cannot be written so by this browser, in words for people; undefined where it can. */
export async function encodingRefusal({
  kind,
  width,
  height,
}: Pick<FilmSettings, 'kind' | 'width' | 'height'>): Promise<string | undefined> {
  if (kind !== 'mp4' && kind !== 'webm') return undefined;
  if (typeof VideoEncoder === 'undefined')
    return 'This browser writes no video: a GIF or pictures are written by all';
  if ((await codecOf(kind, even(width), even(height))) !== undefined) return undefined;
  return `This browser encodes no ${kind === 'mp4' ? 'H.264' : 'VP9 or AV1'} at ${width} × ${height}`;
}

/** Video is coded in squares of two pixels and more. */
export const even = (size: number): number => size - (size % 2);

export function filmEncoder(settings: FilmSettings): Promise<FilmEncoder> {
  switch (settings.kind) {
    case 'mp4':
    case 'webm':
      return videoEncoder(settings.kind, settings);
    case 'gif':
      return gifEncoder(settings);
    case 'pictures':
      return Promise.resolve(picturesEncoder());
    case 'picture':
      return Promise.resolve(pictureEncoder());
    case 'sheet':
      return Promise.resolve(sheetEncoder(settings));
  }
}

async function videoEncoder(
  kind: 'mp4' | 'webm',
  { width, height, rate }: FilmSettings,
): Promise<FilmEncoder> {
  const { BufferTarget, CanvasSource, Mp4OutputFormat, Output, QUALITY_HIGH, WebMOutputFormat } =
    await import('mediabunny');
  const codec = await codecOf(kind, even(width), even(height));
  if (codec === undefined)
    throw new Error((await encodingRefusal({ kind, width, height })) ?? 'No video is encoded here');
  const target = new BufferTarget();
  const output = new Output({
    format: kind === 'mp4' ? new Mp4OutputFormat({ fastStart: 'in-memory' }) : new WebMOutputFormat(),
    target,
  });
  // The source reads one canvas, so the pictures are drawn into it.
  const room = document.createElement('canvas');
  room.width = even(width);
  room.height = even(height);
  const context = room.getContext('2d')!;
  const source = new CanvasSource(room, { codec, bitrate: QUALITY_HIGH, keyFrameInterval: 2 });
  output.addVideoTrack(source, { frameRate: rate });
  await output.start();
  return {
    async add(canvas, picture) {
      context.drawImage(canvas, 0, 0);
      await source.add(picture / rate, 1 / rate);
    },
    async finish() {
      await output.finalize();
      return new Blob([target.buffer!], { type: kind === 'mp4' ? 'video/mp4' : 'video/webm' });
    },
    stop: () => output.cancel(),
  };
}

async function gifEncoder({ width, height, rate }: FilmSettings): Promise<FilmEncoder> {
  const { applyPalette, GIFEncoder, quantize } = await import('gifenc');
  const gif = GIFEncoder();
  // A GIF counts hundredths of a second: what is rounded off one picture goes to the next.
  const hundredths = (picture: number) => Math.round((picture * 100) / rate);
  return {
    async add(canvas, picture) {
      const { data } = canvas.getContext('2d')!.getImageData(0, 0, width, height);
      const palette = quantize(data, 256);
      gif.writeFrame(applyPalette(data, palette), width, height, {
        palette,
        delay: 10 * (hundredths(picture + 1) - hundredths(picture)),
      });
    },
    async finish() {
      gif.finish();
      return new Blob([gif.bytes() as Uint8Array<ArrayBuffer>], { type: 'image/gif' });
    },
    stop: async () => gif.reset(),
  };
}

/** A picture as a PNG file. */
async function pngOf(canvas: HTMLCanvasElement): Promise<Uint8Array<ArrayBuffer>> {
  const blob = await new Promise<Blob | null>((resolve) => canvas.toBlob(resolve, 'image/png'));
  if (!blob) throw new Error(`The browser wrote no picture of ${canvas.width} × ${canvas.height} pixels`);
  return new Uint8Array(await blob.arrayBuffer());
}

function picturesEncoder(): FilmEncoder {
  const chunks: Uint8Array<ArrayBuffer>[] = [];
  const zip = new Zip((error, chunk) => {
    if (error) throw error;
    chunks.push(chunk as Uint8Array<ArrayBuffer>);
  });
  return {
    async add(canvas, picture) {
      // A PNG is packed already.
      const file = new ZipPassThrough(`${String(picture + 1).padStart(5, '0')}.png`);
      zip.add(file);
      file.push(await pngOf(canvas), true);
    },
    async finish() {
      zip.end();
      return new Blob(chunks, { type: 'application/zip' });
    },
    stop: async () => zip.terminate(),
  };
}

/** Puts small pictures beside and below each other into one. */
function sheetEncoder(settings: FilmSettings): FilmEncoder {
  const whole = document.createElement('canvas');
  [whole.width, whole.height] = [settings.width, settings.height];
  const { columns, width, height } = cellOf(settings);
  return {
    async add(canvas, picture) {
      const [x, y] = [picture % columns, Math.floor(picture / columns)];
      whole.getContext('2d')!.drawImage(canvas, x * width, y * height);
    },
    finish: async () => new Blob([await pngOf(whole)], { type: 'image/png' }),
    stop: async () => undefined,
  };
}

function pictureEncoder(): FilmEncoder {
  let bytes: Uint8Array<ArrayBuffer> | undefined;
  return {
    async add(canvas) {
      bytes = await pngOf(canvas);
    },
    finish: async () => new Blob(bytes ? [bytes] : [], { type: 'image/png' }),
    stop: async () => undefined,
  };
}
