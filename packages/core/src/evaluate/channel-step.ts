import { type Curve, FRAME_TOLERANCE } from '../curve/curve.js';
import {
  type CompiledCurve,
  type CurveRows,
  compileCurve,
  type Grid,
  type Period,
} from '../curve/evaluate.js';
import { CHANNELS, type Layer, layerCurves } from '../layer/layer.js';
import type { OwnTime } from '../layer/time.js';
import { RADIANS } from '../math/euler.js';
import type { Rig } from '../rig/rig.js';

/**
 * Blends keyed channels. Each touched joint has nine slots, in the order of {@link CHANNELS}; `keyed` lists those that are
 * keyed, ascending, with the first row of each curve and the grid of its keys. The rows of all curves stand one after
 * the other.
 */
export interface ChannelStep extends CurveRows {
  readonly kind: 'channels';
  readonly keyed: Int32Array;
  readonly first: Int32Array;
  readonly gridOf: Int32Array;
  /** The key frames that occur, each once: joints that are posed together share them. */
  readonly grids: readonly Grid[];
  /** What each touched joint has keys for, as bits: {@link MOVES}, {@link TURNS_PART}, {@link TURNS}, {@link SCALES}. */
  readonly kinds: Uint8Array;
  /** What the root gains in translation over a cycle that travels. */
  readonly gain: Float64Array;
  /** For each grid, room for the segment at the frame that is evaluated, and for the spot in it: two numbers. */
  readonly segment: Int32Array;
  readonly spot: Float64Array;
  /** Room for the value of every slot at the frame that is evaluated; not a number where nothing is keyed. */
  readonly values: Float64Array;
}

export const MOVES = 1;
export const TURNS_PART = 2;
/** All three angles are keyed. */
export const TURNS = 4;
export const SCALES = 8;

function kindsOf(slots: readonly (CompiledCurve | undefined)[], k: number): number {
  const has = (from: number) => slots.slice(9 * k + from, 9 * k + from + 3).filter(Boolean).length;
  const turned = has(3);
  return (
    (has(0) > 0 ? MOVES : 0) |
    (turned > 0 ? TURNS_PART : 0) |
    (turned === 3 ? TURNS : 0) |
    (has(6) > 0 ? SCALES : 0)
  );
}

/** The nine compiled curves of a joint; a channel without keys has none. */
export type JointCurves = (CompiledCurve | undefined)[];

/** Curves that do not loop, as they were compiled: an edit compiles those that it changes. */
const compiledCurves = new WeakMap<Curve, { readonly scale: number; readonly compiled: CompiledCurve }>();

function compiledOnce(curve: Curve, scale: number): CompiledCurve {
  const known = compiledCurves.get(curve);
  if (known?.scale === scale) return known.compiled;
  const compiled = compileCurve(curve, scale);
  compiledCurves.set(curve, { scale, compiled });
  return compiled;
}

/** Compiles a layer's curves, by joint of the rig. Rotations become radians. */
export function curvesByJoint(layer: Layer, rig: Rig, time: OwnTime): Map<number, JointCurves> {
  const indices = new Map(rig.joints.map((joint, index) => [joint.name, index]));
  const period: Period | undefined = time.loop === 'none' ? undefined : time;
  const found = new Map<number, JointCurves>();
  for (const { joint, channel, curve } of layerCurves(layer)) {
    const index = indices.get(joint);
    const slot = CHANNELS.indexOf(channel);
    const scale = slot >= 3 && slot < 6 ? RADIANS : 1;
    const compiled = period ? compileCurve(curve, scale, period) : compiledOnce(curve, scale);
    if (index === undefined || !compiled) continue;
    const curves = found.get(index) ?? new Array(CHANNELS.length).fill(undefined);
    curves[slot] = compiled;
    found.set(index, curves);
  }
  return found;
}

/** Lays the curves of the touched joints side by side. `root` are those of the rig's root, if it has any. */
export function channelStep(
  slots: readonly (CompiledCurve | undefined)[],
  root: JointCurves | undefined,
  time: OwnTime,
): ChannelStep {
  const keyed = slots.flatMap((curve, slot) => (curve ? [slot] : []));
  const curves = keyed.map((slot) => slots[slot]!);
  const keys = curves.reduce((sum, { grid }) => sum + grid.length, 0);
  const rows = new Float64Array(4 * keys);
  const handles = curves.some((curve) => curve.handles) ? new Float64Array(5 * keys) : undefined;
  const first = new Int32Array(keyed.length);
  const gridOf = new Int32Array(keyed.length);
  const grids: Grid[] = [];
  let next = 0;
  for (const [i, curve] of curves.entries()) {
    const known = grids.findIndex((grid) => sameGrid(grid, curve.grid));
    first[i] = next;
    gridOf[i] = known < 0 ? grids.push(curve.grid) - 1 : known;
    rows.set(curve.rows, 4 * next);
    if (curve.handles) handles?.set(curve.handles, 5 * next);
    next += curve.grid.length;
  }
  return {
    kind: 'channels',
    keyed: Int32Array.from(keyed),
    rows,
    handles,
    first,
    gridOf,
    grids,
    kinds: Uint8Array.from({ length: slots.length / 9 }, (_, k) => kindsOf(slots, k)),
    gain: Float64Array.from([0, 1, 2], (axis) => gainOf(root?.[axis], time)),
    segment: new Int32Array(grids.length),
    spot: new Float64Array(2 * grids.length),
    values: new Float64Array(slots.length).fill(Number.NaN),
  };
}

function sameGrid(a: Grid, b: Grid): boolean {
  if (a.length !== b.length) return false;
  for (let i = 0; i < a.length; i++) if (a[i] !== b[i]) return false;
  return true;
}

/** What a looped curve gains over its cycle, if it has a key at both ends. */
function gainOf(curve: CompiledCurve | undefined, time: OwnTime): number {
  if (!curve || time.loop !== 'travel') return 0;
  const { grid, rows } = curve;
  const last = grid.length - 1;
  // A curve that is not keyed at both ends goes on beyond the cycle with its first key come round again.
  const on = (frame: number, end: number) => Math.abs(frame - end) < 2 * FRAME_TOLERANCE;
  const ends = on(grid[0], time.start) && on(grid[last], time.start + time.length);
  return ends && last > 0 ? rows[4 * last] - rows[0] : 0;
}
