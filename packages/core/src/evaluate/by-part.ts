import type { Part, Parts } from '../rig/parts.js';
import type { Attribution } from './attribution.js';
import type { CompiledLayer, CompiledStack } from './compiled.js';
import { layerWeight, readAlphas } from './gate.js';

/** For each part the indices of its members: joints, and face channels behind them. */
export function membersByPart(parts: Parts): ReadonlyMap<Part, readonly number[]> {
  const joints = new Map<Part, number[]>();
  for (const [j, part] of parts.entries()) {
    const list = joints.get(part);
    if (list) list.push(j);
    else joints.set(part, [j]);
  }
  return joints;
}

/** The mean share of a row of the attribution over some joints: row 0 is rest, row `i + 1` layer `i`. */
export function meanShare(
  attribution: Attribution,
  row: number,
  joints: readonly number[],
  count: number,
): number {
  let sum = 0;
  for (const j of joints) sum += attribution.shares[row * count + j];
  return sum / joints.length;
}

/** The largest turn in radians that a layer gives to any of some joints. */
export function largestTurn(
  attribution: Attribution,
  layer: number,
  joints: readonly number[],
  count: number,
): number {
  let most = 0;
  for (const j of joints) most = Math.max(most, attribution.turns[layer * count + j]);
  return most;
}

const at = new Float64Array(2);

/**
 * How far a layer counts in each part at a frame: the largest α among the joints of the part that its content
 * touches, 0 where it touches none. Written to `out`, one number for each of `order`.
 */
export function partAlphas(
  stack: CompiledStack,
  compiled: CompiledLayer,
  order: readonly Part[],
  frame: number,
  out: Float64Array,
): void {
  out.fill(0);
  const weight = stack.live[stack.layers.indexOf(compiled)] ? layerWeight(compiled, frame) : 0;
  if (weight === 0) return;
  at[0] = weight;
  at[1] = frame;
  readAlphas(compiled, at, 0, at, 1);
  const { touched, faces, alphas } = compiled;
  const firstFace = stack.rig.joints.length;
  for (let k = 0; k < alphas.length; k++) {
    const member = k < touched.length ? touched[k] : firstFace + faces[k - touched.length];
    const cell = order.indexOf(stack.parts[member]);
    out[cell] = Math.max(out[cell], alphas[k]);
  }
}
