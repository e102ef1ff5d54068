import type { FilmSettings, LayerLine } from '../editor/session.js';

/** A rectangle of a picture, in pixels. */
export interface Pane {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

/** The largest rectangle of a ratio in the middle of another. */
export function within({ x, y, width, height }: Pane, ratio: number): Pane {
  const wide = Math.min(width, Math.round(height * ratio));
  const high = Math.min(height, Math.round(wide / ratio));
  return {
    x: x + Math.floor((width - wide) / 2),
    y: y + Math.floor((height - high) / 2),
    width: wide,
    height: high,
  };
}

/** Where references and the pictures of variants lie in the whole, each as large as the others. */
export function panesOf(
  { width, height, variants, beside }: FilmSettings,
  references: number,
): { readonly references: readonly Pane[]; readonly pictures: readonly Pane[] } {
  const pictures = beside ? Math.max(1, variants.length) : 1;
  const count = pictures + references;
  const panes = Array.from({ length: count }, (_, k): Pane => {
    const x = Math.round((k * width) / count);
    return { x, y: 0, width: Math.round(((k + 1) * width) / count) - x, height };
  });
  return {
    references: panes.slice(0, references),
    pictures: panes.slice(references),
  };
}

/** One picture of a film: the frame of the project, and the variants that it shows, one for each pane. */
export interface FilmPicture {
  readonly frame: number;
  readonly variants: readonly (string | undefined)[];
}

/**
 * The pictures of a film, in their order: picture `k` of a stretch shows frame `first + k · fps / rate`, as a bake's samples do;
 * variants one after the other begin anew.
 */
export function picturesOf(
  { kind, range, rate, variants, beside, poses }: FilmSettings,
  fps: number,
): FilmPicture[] {
  const [first, last] = range;
  const count = kind === 'picture' ? 1 : Math.floor(((last - first) * rate) / fps + 1e-6) + 1;
  const frames =
    kind === 'sheet'
      ? Array.from({ length: poses }, (_, k) =>
          Math.round(first + (k * (last - first)) / Math.max(1, poses - 1)),
        )
      : Array.from({ length: Math.max(0, count) }, (_, k) => first + (k * fps) / rate);
  const shown: readonly (string | undefined)[] = variants.length > 0 ? variants : [undefined];
  if (beside || shown.length === 1) return frames.map((frame) => ({ frame, variants: shown }));
  return shown.flatMap((variant) => frames.map((frame) => ({ frame, variants: [variant] })));
}

/** How the small pictures of a sheet lie: those of each variant in rows of their own, none smaller than they must be. */
export function cellOf({ width, height, poses, variants, beside }: FilmSettings): {
  readonly columns: number;
  readonly width: number;
  readonly height: number;
} {
  const rows = beside ? 1 : Math.max(1, variants.length);
  // Figures are upright: as many columns as make pictures about as wide as high.
  const across = (broad: number) => {
    const lines = rows * Math.ceil(poses / broad);
    return Math.min(width / broad, height / lines);
  };
  const widths = Array.from({ length: poses }, (_, k) => k + 1);
  const columns = widths.reduce((best, one) => (across(one) > across(best) ? one : best), poses);
  // Several variants begin lines of their own only where a line holds all poses.
  const broad = rows > 1 ? poses : columns;
  return {
    columns: broad,
    width: Math.floor(width / broad),
    height: Math.floor(height / (rows * Math.ceil(poses / broad))),
  };
}

/** What is written on a picture. */
export interface Caption {
  /** The number of the frame as people count it. */
  readonly number: string | undefined;
  readonly variant: string | undefined;
  readonly layers: readonly LayerLine[];
  readonly line: string;
}

const PLATE = 'rgba(14, 27, 32, 0.72)';
const TEXT = '#EAF1EC';
const QUIET = '#9DB5B2';
const NOTED = '#FFC857';

/** Writes what a note says in the upper middle of a picture, the `k`th of several below the others. */
export function writeNote(context: CanvasRenderingContext2D, pane: Pane, text: string, k: number): void {
  const size = Math.max(11, Math.round(pane.height / 32));
  const high = Math.round(size * 1.7);
  context.font = `600 ${size}px "Instrument Sans Variable", sans-serif`;
  let said = text.replaceAll('\n', ' ');
  while (said.length > 4 && context.measureText(said).width > 0.8 * pane.width)
    said = `${said.slice(0, -3)}…`;
  const wide = context.measureText(said).width + size;
  const [left, top] = [pane.x + (pane.width - wide) / 2, pane.y + size + k * (high + 2)];
  context.fillStyle = PLATE;
  context.fillRect(left, top, wide, high);
  context.fillStyle = NOTED;
  context.textBaseline = 'middle';
  context.fillText(said, left + size / 2, top + high / 2 + 1);
}

/** Writes on a picture: the number of the frame below on the right, layers below on the left, names above. */
export function writeCaption(context: CanvasRenderingContext2D, pane: Pane, caption: Caption): void {
  const size = Math.max(11, Math.round(pane.height / 36));
  const edge = Math.round(size * 0.9);
  const high = Math.round(size * 1.7);
  const plate = (text: string, font: string, x: number, y: number, color = TEXT, right = false) => {
    context.font = `${font} ${size}px "Instrument Sans Variable", sans-serif`;
    if (font === 'number') context.font = `600 ${size}px "JetBrains Mono Variable", monospace`;
    const wide = context.measureText(text).width + size;
    const left = right ? x - wide : x;
    context.fillStyle = PLATE;
    context.fillRect(left, y, wide, high);
    context.fillStyle = color;
    context.textBaseline = 'middle';
    context.fillText(text, left + size / 2, y + high / 2 + 1);
    return wide;
  };
  const { x, y, width, height } = pane;
  let top = y + edge;
  if (caption.variant !== undefined) {
    plate(caption.variant, '600', x + edge, top);
    top += high + 2;
  }
  if (caption.line !== '')
    plate(caption.line, '400', x + edge, top, caption.variant === undefined ? TEXT : QUIET);
  if (caption.number !== undefined)
    plate(caption.number, 'number', x + width - edge, y + height - edge - high, TEXT, true);
  let low = y + height - edge - high;
  for (const { name, color, weight } of caption.layers) {
    const text = `${name}  ${Math.round(weight * 100)} %`;
    plate(text, '400', x + edge + Math.round(size * 0.4), low, weight > 0 ? TEXT : QUIET);
    context.fillStyle = color ?? QUIET;
    context.fillRect(x + edge, low, Math.round(size * 0.4), high);
    low -= high + 2;
  }
}
