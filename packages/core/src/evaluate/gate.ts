import { FRAME_TOLERANCE } from '../curve/curve.js';
import { readScalar } from '../curve/evaluate.js';
import { locateAll, readAll } from '../curve/many-frames.js';
import type { Span } from '../layer/layer.js';
import type { Numbers } from '../math/numbers.js';
import type { CompiledLayer } from './compiled.js';
import { type Count, NONE } from './counts.js';

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

/** Writes weight, of layer and group, times fades at `frames[f]`: what counts before mask and factors. Mute and solo are not in it. */
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
  if (compiled.byGroup === undefined) return;
  readScalar(compiled.byGroup, frames, f, room, 0);
  out[o] *= Math.min(1, Math.max(0, room[0]));
}

// Room for the frames of a block.
let segments = new Int32Array(0);
let since = new Float64Array(0);

/** {@link readWeight} at each of `count` frames. */
export function readWeights(
  compiled: CompiledLayer,
  frames: Float64Array,
  count: number,
  out: Float64Array,
): void {
  const { weight, maxWeight, byGroup, layer } = compiled;
  if (layer.span || byGroup !== undefined || typeof weight === 'number') {
    for (let i = 0; i < count; i++) readWeight(compiled, frames, i, out, i);
    return;
  }
  if (segments.length < count) {
    segments = new Int32Array(count);
    since = new Float64Array(count);
  }
  locateAll(weight.grid, frames, count, segments, since, 0);
  readAll(weight, 0, weight.grid, segments, since, 0, count, out, 0);
  for (let i = 0; i < count; i++) out[i] = Math.min(maxWeight, Math.max(0, out[i]));
}

/** Weight times fades of a layer at a frame. */
export function layerWeight(compiled: CompiledLayer, frame: number): number {
  single[0] = frame;
  readWeight(compiled, single, 0, single, 1);
  return single[1];
}

/** Reads masks and factors at `frames[f]`, clamped to [0, 1]. */
function readScalars({ scalars, scalarValues }: CompiledLayer, frames: Numbers, f: number): void {
  for (let k = 0; k < scalars.length; k++) {
    readScalar(scalars[k], frames, f, scalarValues, k);
    scalarValues[k] = Math.min(1, Math.max(0, scalarValues[k]));
  }
}

/** Writes α, `w · e · mask · joints`: `weights[w]` is what {@link readWeight} says, the rest {@link readScalars}. */
function readAlpha(
  { scalarValues }: CompiledLayer,
  { mask, factor }: Count,
  weights: Numbers,
  w: number,
  out: Numbers,
  o: number,
): void {
  out[o] = weights[w];
  if (mask >= 0) out[o] *= scalarValues[mask];
  else if (mask === NONE) out[o] = 0;
  if (factor >= 0) out[o] *= scalarValues[factor];
  else if (factor === NONE) out[o] = 0;
}

/** Writes α of every joint and face channel that is touched at `frames[f]`, `weights[w]` being what {@link readWeight} says there. */
export function readAlphas(
  compiled: CompiledLayer,
  weights: Numbers,
  w: number,
  frames: Numbers,
  f: number,
): void {
  const { ranges, alphas } = compiled;
  readScalars(compiled, frames, f);
  for (let r = 0; r < ranges.length; r++) {
    const { from, to } = ranges[r];
    readAlpha(compiled, ranges[r], weights, w, room, 0);
    // A range is filled as a whole, so its first number is that of all.
    if (alphas[from] !== room[0]) for (let k = from; k < to; k++) alphas[k] = room[0];
  }
}

/** α of any member of the rig at a frame, also of one that the content does not touch. Mute and solo are not in it. */
export function memberAlpha(compiled: CompiledLayer, member: number, frame: number): number {
  single[0] = frame;
  readWeight(compiled, single, 0, single, 1);
  readScalars(compiled, single, 0);
  readAlpha(compiled, compiled.counts[member], single, 1, room, 0);
  return room[0];
}

/**
 * The largest α that a layer has in any joint at a frame: of those that its content touches, or of all where it has no
 * content yet. Mute and solo are not in it.
 */
export function largestAlpha(compiled: CompiledLayer, frame: number): number {
  single[0] = frame;
  readWeight(compiled, single, 0, single, 1);
  if (single[1] === 0) return 0;
  readScalars(compiled, single, 0);
  let largest = 0;
  for (const count of compiled.alphas.length > 0 ? compiled.ranges : compiled.counts) {
    readAlpha(compiled, count, single, 1, room, 0);
    largest = Math.max(largest, room[0]);
  }
  return largest;
}
