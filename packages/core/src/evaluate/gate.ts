import { FRAME_TOLERANCE } from '../curve/curve.js';
import { readScalar } from '../curve/evaluate.js';
import type { Span } from '../layer/layer.js';
import type { Numbers } from '../math/numbers.js';
import type { CompiledLayer } from './compile.js';

/** Writes how far a span lets a layer act at `frames[f]`: 0 outside, 1 inside, its fades between. */
function readSpan(span: Span | undefined, frames: Numbers, f: number, out: Numbers, o: number): void {
  out[o] = 1;
  if (!span) return;
  const { start, end, fadeIn, fadeOut, shape } = span;
  const frame = frames[f];
  if (
    (start !== undefined && frame < start - FRAME_TOLERANCE) ||
    (end !== undefined && frame > end + FRAME_TOLERANCE)
  ) {
    out[o] = 0;
    return;
  }
  if (start !== undefined && fadeIn) {
    const u = Math.min(1, Math.max(0, (frame - start) / fadeIn));
    out[o] *= shape === 'linear' ? u : u * u * (3 - 2 * u);
  }
  if (end !== undefined && fadeOut) {
    const u = Math.min(1, Math.max(0, (end - frame) / fadeOut));
    out[o] *= shape === 'linear' ? u : u * u * (3 - 2 * u);
  }
}

const single = new Float64Array(2);
const room = new Float64Array(1);

/** How far a span lets a layer act at a frame. */
export function spanFactor(span: Span | undefined, frame: number): number {
  single[0] = frame;
  readSpan(span, single, 0, single, 1);
  return single[1];
}

/** Writes weight times fades at `frames[f]`: what counts before mask and factors. Mute and solo are not in it. */
export function readWeight(
  compiled: CompiledLayer,
  frames: Numbers,
  f: number,
  out: Numbers,
  o: number,
): void {
  readSpan(compiled.layer.span, frames, f, out, o);
  if (out[o] === 0) return;
  readScalar(compiled.weight, frames, f, room, 0);
  out[o] *= Math.min(compiled.maxWeight, Math.max(0, room[0]));
}

/** Weight times fades of a layer at a frame. */
export function layerWeight(compiled: CompiledLayer, frame: number): number {
  single[0] = frame;
  readWeight(compiled, single, 0, single, 1);
  return single[1];
}

/** Writes α of every touched joint at `frames[f]`, `weights[w]` being what {@link readWeight} says there. */
export function readAlphas(
  compiled: CompiledLayer,
  weights: Numbers,
  w: number,
  frames: Numbers,
  f: number,
): void {
  const { scalars, scalarValues, runs, alphas } = compiled;
  for (let k = 0; k < scalars.length; k++) {
    readScalar(scalars[k], frames, f, scalarValues, k);
    scalarValues[k] = Math.min(1, Math.max(0, scalarValues[k]));
  }
  for (let r = 0; r < runs.length; r++) {
    const { from, to, mask, factor } = runs[r];
    let alpha = weights[w];
    if (mask >= 0) alpha *= scalarValues[mask];
    if (factor >= 0) alpha *= scalarValues[factor];
    // A run is filled as a whole, so its first number speaks for all.
    if (alphas[from] !== alpha) for (let k = from; k < to; k++) alphas[k] = alpha;
  }
}
