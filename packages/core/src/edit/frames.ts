import { type Curve, isCurve, type Key, type Scalar } from '../curve/curve.js';
import { addressesOf, curveAtAddress, isContent } from '../layer/address.js';
import { type Layer, type Span, takeOf } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { changeLayer } from './change.js';
import { timeOf, type Written, writeScalars } from './curves.js';

/** A project with frames more or fewer, and the layers whose content could not follow, by name. */
export interface Retimed {
  readonly project: Project;
  readonly stayed: readonly string[];
}

/**
 * Inserts frames before a frame of the project, or removes frames from there on where `count` is negative: what comes
 * later moves, and what stood on a removed frame goes. Keys, spans, the project's range and its marks follow; with `layer` only
 * what belongs to that one. A take or a loop cannot be cut open: it moves where all of it comes later, else it stays.
 */
export function insertFrames(project: Project, frame: number, count: number, layer?: string): Retimed {
  if (count === 0) return { project, stayed: [] };
  const stayed: string[] = [];
  let current = project;
  for (const one of project.layers) {
    if (layer !== undefined && one.id !== layer) continue;
    const whole = contentMovesWhole(project, one);
    if (whole && contentStart(project, one) < frame) stayed.push(one.name);
    current = withFrames(current, one, frame, count, whole);
  }
  if (layer === undefined) {
    const [first, last] = project.range.map((end) => moved(end, frame, count));
    const marks = project.marks.map((mark) => ({ ...mark, frame: moved(mark.frame, frame, count) }));
    current = { ...current, range: [Math.min(first, last), last], marks };
  }
  return { project: current, stayed };
}

/** Where something that stood at a frame stands; what was on a removed frame comes to where those begin. */
const moved = (at: number, frame: number, count: number): number =>
  at < frame ? at : Math.max(frame, at + count);

/** Whether a layer's content can only be moved as a whole: a take, and what loops. */
const contentMovesWhole = (project: Project, layer: Layer): boolean =>
  layer.content.kind === 'take' ||
  timeOf(project, layer, { kind: 'channel', layer: layer.id, joint: '', channel: 'rx' }).loop !== 'none';

/** The frame of the project at which the content of a layer begins. */
function contentStart(project: Project, layer: Layer): number {
  const { offset, speed, start } = timeOf(project, layer, {
    kind: 'channel',
    layer: layer.id,
    joint: '',
    channel: 'rx',
  });
  return takeOf(layer) || speed === 0 ? offset : offset + start / speed;
}

function withFrames(project: Project, layer: Layer, frame: number, count: number, whole: boolean): Project {
  const entries = addressesOf(layer, project.parts).flatMap((address): Written[] => {
    const curve = curveAtAddress(layer, address);
    if (!curve || (whole && isContent(address))) return [];
    const { offset, speed } = timeOf(project, layer, address);
    if (speed === 0) return [];
    const scalar: Scalar = shifted(curve, (key) => offset + key.frame / speed, frame, count, speed);
    const left = isCurve(scalar) && scalar.keys.length > 0;
    return [[address, left ? scalar : address.kind === 'channel' ? undefined : curve.keys[0].value]];
  });
  const written = writeScalars(project, entries);
  return changeLayer(written, layer.id, (one) => ({
    ...one,
    span: one.span && spanWith(one.span, frame, count),
    ...(whole &&
      contentStart(project, layer) >= frame && {
        time: {
          ...(one.time ?? { offset: 0, speed: 1, loop: 'none' as const }),
          offset: (one.time?.offset ?? 0) + Math.max(count, frame - contentStart(project, layer)),
        },
      }),
  }));
}

/** Keys of which those on later frames have moved and those on removed ones are gone. */
function shifted(
  curve: Curve,
  frameOf: (key: Key) => number,
  frame: number,
  count: number,
  speed: number,
): Curve {
  const keys = curve.keys.flatMap((key): Key[] => {
    const at = frameOf(key);
    if (at < frame) return [key];
    if (count < 0 && at < frame - count) return [];
    return [{ ...key, frame: key.frame + count * speed }];
  });
  return { keys: keys.sort((a, b) => a.frame - b.frame) };
}

const spanWith = (span: Span, frame: number, count: number): Span => ({
  ...span,
  ...(span.start !== undefined && { start: moved(span.start, frame, count) }),
  ...(span.end !== undefined && { end: moved(span.end, frame, count) }),
});
