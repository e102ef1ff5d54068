import { type Curve, type Key, mergedKeys } from '../curve/curve.js';
import { addressesOf, curveAtAddress, isContent } from '../layer/address.js';
import { type Layer, type Span, takeOf } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { contentRange, PLAIN_TIME } from '../layer/time.js';
import { changeLayer } from './change.js';
import { timeOf, type Written, writeScalars } from './curves.js';
import type { Retimed } from './frames.js';

/** What is retimed: the frames of the project from which to which, by which factor, of which layers. */
export interface Retime {
  readonly range: readonly [number, number];
  /** How much longer the range becomes: 2 is twice as long, and so half as fast. Above 0. */
  readonly factor: number;
  /** Ids of layers; all of them, with the range and the marks of the project, where undefined. */
  readonly layers?: readonly string[];
}

/** Where what stood at a frame comes to: what is in the range is stretched from its start, what is behind it follows. */
const retimedFrame = (frame: number, { range: [a, b], factor }: Retime): number =>
  frame <= a ? frame : frame >= b ? frame + (b - a) * (factor - 1) : a + (frame - a) * factor;

/**
 * Makes a range slower or faster. Keys, spans and handles follow. A take, or a loop, cannot be stretched in part: it
 * follows where the whole of it lies in the range, or behind it, else it stays and is named.
 */
export function retime(project: Project, what: Retime): Retimed {
  if (what.factor === 1 || !(what.factor > 0)) return { project, stayed: [] };
  const stayed: string[] = [];
  let current = project;
  for (const layer of project.layers) {
    if (what.layers && !what.layers.includes(layer.id)) continue;
    const result = retimedLayer(current, layer, what);
    if (!result) stayed.push(layer.name);
    current = result ?? current;
  }
  if (!what.layers) {
    const [first, last] = project.range;
    current = {
      ...current,
      range: [retimedFrame(first, what), retimedFrame(last, what)],
      marks: project.marks.map((mark) => ({ ...mark, frame: retimedFrame(mark.frame, what) })),
    };
  }
  return { project: current, stayed };
}

function retimedLayer(project: Project, layer: Layer, what: Retime): Project | undefined {
  const { offset, speed, loop } = layer.time ?? PLAIN_TIME;
  const whole = takeOf(layer) !== undefined || loop !== 'none';
  const time = whole ? wholeTime(project, layer, what) : undefined;
  if (whole && !time) return undefined;
  const entries = addressesOf(layer, project.parts).flatMap((address): Written[] => {
    const curve = curveAtAddress(layer, address);
    if (!curve || (whole && isContent(address))) return [];
    const clock = timeOf(project, layer, address);
    if (clock.speed === 0) return [];
    const toProject = (own: number) => clock.offset + own / clock.speed;
    const toOwn = (frame: number) => (frame - clock.offset) * clock.speed;
    return [[address, stretched(curve, (own) => toOwn(retimedFrame(toProject(own), what)))]];
  });
  return changeLayer(writeScalars(project, entries), layer.id, (one) => ({
    ...one,
    ...(one.span && { span: retimedSpan(one.span, what) }),
    ...(time &&
      (time.offset !== offset || time.speed !== speed) && { time: { ...PLAIN_TIME, ...one.time, ...time } }),
  }));
}

/** The time of what can only be stretched as a whole; undefined where it lies in the range in part. */
function wholeTime(
  project: Project,
  layer: Layer,
  what: Retime,
): { offset: number; speed: number } | undefined {
  const { offset, speed, loop } = layer.time ?? PLAIN_TIME;
  const [a, b] = what.range;
  const take = project.takes.find(({ id }) => id === takeOf(layer)?.take);
  // A loop has no end: it is taken to fill the range of the project.
  const ends =
    loop === 'none' && speed !== 0
      ? contentRange(layer, take, project.fps).map((own) => offset + own / speed)
      : [...project.range];
  const [first, last] = ends.sort((x, y) => x - y);
  const slack = 1;
  if (last <= a) return { offset, speed };
  if (first >= b) return { offset: retimedFrame(offset, what), speed };
  if (first < a - slack || last > b + slack) return undefined;
  return { offset: a + (offset - a) * what.factor, speed: speed / what.factor };
}

function stretched(curve: Curve, to: (own: number) => number): Curve {
  const keys = curve.keys.map((key, i): Key => {
    const frame = to(key.frame);
    const [before, after] = [curve.keys[i - 1], curve.keys[i + 1]];
    const scale = (other: Key | undefined) =>
      other ? (to(other.frame) - frame) / (other.frame - key.frame) : 1;
    return {
      ...key,
      frame,
      ...(key.in && { in: [key.in[0] * scale(before), key.in[1]] as const }),
      ...(key.out && { out: [key.out[0] * scale(after), key.out[1]] as const }),
    };
  });
  return { keys: mergedKeys([], keys) };
}

function retimedSpan(span: Span, what: Retime): Span {
  const [start, end] = [span.start, span.end].map((frame) =>
    frame === undefined ? undefined : retimedFrame(frame, what),
  );
  // A fade is as long as the frames that it takes come to be.
  const fade = (edge: number | undefined, frames: number | undefined, way: 1 | -1) =>
    edge === undefined || frames === undefined
      ? frames
      : Math.abs(retimedFrame(edge + way * frames, what) - retimedFrame(edge, what));
  return {
    ...span,
    ...(start !== undefined && { start }),
    ...(end !== undefined && { end }),
    ...(span.fadeIn !== undefined && { fadeIn: fade(span.start, span.fadeIn, 1) }),
    ...(span.fadeOut !== undefined && { fadeOut: fade(span.end, span.fadeOut, -1) }),
  };
}
