import { FRAME_TOLERANCE } from '../curve/curve.js';
import { evaluateWithin } from '../curve/evaluate.js';
import type { Span } from '../layer/layer.js';
import type { CompiledLayer } from './compile.js';

/** How far a span lets a layer act at a frame: 0 outside, 1 inside, its fades between. */
export function spanFactor(span: Span | undefined, frame: number): number {
  if (!span) return 1;
  const { start, end, fadeIn, fadeOut, shape } = span;
  let factor = 1;
  if (start !== undefined) {
    if (frame < start - FRAME_TOLERANCE) return 0;
    if (fadeIn) factor *= fade(Math.max(0, (frame - start) / fadeIn), shape);
  }
  if (end !== undefined) {
    if (frame > end + FRAME_TOLERANCE) return 0;
    if (fadeOut) factor *= fade(Math.max(0, (end - frame) / fadeOut), shape);
  }
  return factor;
}

function fade(u: number, shape: Span['shape']): number {
  if (u >= 1) return 1;
  return shape === 'linear' ? u : u * u * (3 - 2 * u);
}

/** Weight times fades at a frame: what counts before mask and factors. Mute and solo are not in it. */
export function layerWeight(compiled: CompiledLayer, frame: number): number {
  const factor = spanFactor(compiled.layer.span, frame);
  return factor === 0 ? 0 : factor * evaluateWithin(compiled.weight, frame, 0, compiled.maxWeight);
}

/** Reads mask values and factors at a frame into the layer's own room. */
export function readScalars(compiled: CompiledLayer, frame: number): void {
  const { scalars, scalarValues } = compiled;
  for (let k = 0; k < scalars.length; k++) scalarValues[k] = evaluateWithin(scalars[k], frame, 0, 1);
}

/** Mask times further factor of the `k`-th touched joint, after {@link readScalars}. */
export function jointFactor(compiled: CompiledLayer, k: number): number {
  const mask = compiled.maskOf[k];
  const factor = compiled.factorOf[k];
  return (mask < 0 ? 1 : compiled.scalarValues[mask]) * (factor < 0 ? 1 : compiled.scalarValues[factor]);
}
