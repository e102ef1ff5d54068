import { keyFrames, type Layer, type Span } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import { ownTime } from '../../layer/time.js';
import { changeLayer, sameValue } from '../change.js';

/** Frames over which a new override layer comes and goes: four tenths of a second. */
const fadeFrames = (project: Project): number => Math.max(1, Math.round(0.4 * project.fps));

/** A span that is full at a frame and lets go on both sides of it, open where the range ends sooner. */
export function spanAround(project: Project, frame: number): Span | undefined {
  const fade = fadeFrames(project);
  const [first, last] = project.range;
  const span: Span = {
    ...(frame - fade > first && { start: frame - fade, fadeIn: fade }),
    ...(frame + fade < last && { end: frame + fade, fadeOut: fade }),
  };
  return Object.keys(span).length > 0 ? span : undefined;
}

/**
 * Sets the span of a layer; undefined lets it act everywhere. Ends that cross are put in order. Where an end is another than
 * before, it follows the layer's keys no more.
 */
export function setSpan(project: Project, id: string, span: Span | undefined): Project {
  return changeLayer(project, id, ({ follows, ...layer }) => {
    const set = span && tidy(span);
    const same = set?.start === layer.span?.start && set?.end === layer.span?.end;
    return { ...layer, span: set, ...(follows && same && { follows }) };
  });
}

/** Lets the span of a layer follow its keys, from the first to the last with fades beside them, or no more. */
export function setFollows(project: Project, id: string, follows: boolean): Project {
  return changeLayer(project, id, ({ follows: _, ...layer }) =>
    follows ? { ...layer, follows: true, span: spanOfKeys(project, layer) ?? layer.span } : layer,
  );
}

/** The frames of the project on which the content of a layer has keys, if it plays them once. */
function framesOfKeys({ fps }: Project, layer: Layer): number[] {
  const { offset, speed, loop } = ownTime(layer, undefined, fps);
  if (loop !== 'none' || speed === 0) return [];
  return keyFrames(layer).map((own) => offset + own / speed);
}

/** A span from the first key of a layer to its last, and over `more` frames, with its fades beside it; undefined where it has no keys. */
function spanOfKeys(project: Project, layer: Layer, more: readonly number[] = []): Span | undefined {
  const keys = framesOfKeys(project, layer);
  if (keys.length === 0) return undefined;
  const frames = [...keys, ...more];
  const [from, to] = [Math.min(...frames), Math.max(...frames)];
  const fadeIn = layer.span?.fadeIn ?? fadeFrames(project);
  const fadeOut = layer.span?.fadeOut ?? fadeFrames(project);
  const [first, last] = project.range;
  return tidy({
    ...(from - fadeIn > first && { start: from - fadeIn, fadeIn }),
    ...(to + fadeOut < last && { end: to + fadeOut, fadeOut }),
    ...(layer.span?.shape && { shape: layer.span.shape }),
  });
}

/** The frames over which a span counts in full. */
const fullOf = ({ start, end, fadeIn = 0, fadeOut = 0 }: Span): number[] => [
  ...(start === undefined ? [] : [start + fadeIn]),
  ...(end === undefined ? [] : [end - fadeOut]),
];

/**
 * A project in which the spans that follow keys have come along with what was changed since `before`. Of a layer that had
 * no keys the span keeps what it had too: a pose that a target holds.
 */
export function followKeys(project: Project, before: Project): Project {
  if (project.layers === before.layers) return project;
  const earlier = new Map(before.layers.map((layer) => [layer.id, layer]));
  let changed = false;
  const layers = project.layers.map((layer): Layer => {
    const was = earlier.get(layer.id);
    if (!layer.follows || !was || was === layer || was.content === layer.content) return layer;
    const held = was.span && keyFrames(was).length === 0 ? fullOf(was.span) : [];
    if (keyFrames(layer).length === 0) return layer;
    const span = spanOfKeys(project, layer, held);
    if (sameValue(span, layer.span)) return layer;
    changed = true;
    return { ...layer, span };
  });
  return changed ? { ...project, layers } : project;
}

/** Stretches a layer's span so that the layer is fully there at a frame. */
export function extendSpan(project: Project, id: string, frame: number): Project {
  return changeLayer(project, id, (layer) => {
    const { span } = layer;
    if (!span) return layer;
    const start = span.start === undefined ? undefined : Math.min(span.start, frame - (span.fadeIn ?? 0));
    const end = span.end === undefined ? undefined : Math.max(span.end, frame + (span.fadeOut ?? 0));
    return { ...layer, span: tidy({ ...span, start, end }) };
  });
}

function tidy(span: Span): Span | undefined {
  let { start, end } = span;
  if (start !== undefined && end !== undefined && end < start) [start, end] = [end, start];
  const fadeIn = start === undefined ? undefined : Math.max(0, span.fadeIn ?? 0) || undefined;
  const fadeOut = end === undefined ? undefined : Math.max(0, span.fadeOut ?? 0) || undefined;
  const all = { start, end, fadeIn, fadeOut, shape: span.shape };
  const kept = Object.fromEntries(Object.entries(all).filter(([, value]) => value !== undefined)) as Span;
  return kept.start === undefined && kept.end === undefined ? undefined : kept;
}
