import type { Span } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import { changeLayer } from '../change.js';

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

/** Sets the span of a layer; undefined lets it act everywhere. Ends that cross are put in order. */
export function setSpan(project: Project, id: string, span: Span | undefined): Project {
  return changeLayer(project, id, (layer) => ({ ...layer, span: span && tidy(span) }));
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
