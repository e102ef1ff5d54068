import { FRAME_TOLERANCE } from '../../curve/curve.js';
import {
  type CurveRows,
  copyRows,
  type Grid,
  gridOf,
  hasBezier,
  isOnGrid,
  type Knots,
  knotsOf,
  type Period,
  roomFor,
  writeRows,
} from '../../curve/evaluate.js';
import { channelsOf, JOINT_CHANNELS } from '../../layer/content.js';
import type { Layer } from '../../layer/layer.js';
import type { OwnTime } from '../../layer/time.js';
import { RADIANS } from '../../math/euler.js';
import { faceIndex } from '../../rig/members.js';
import type { Rig } from '../../rig/rig.js';
import { topologyOf } from '../../rig/topology.js';

/**
 * Blends keyed channels. Each touched joint has {@link SLOTS} slots, in the order of {@link JOINT_CHANNELS}, and behind all joints
 * each touched face channel has one; `keyed` lists those that are keyed, ascending, with the first row of each curve and the grid of its keys. The rows of all curves stand one after
 * the other.
 */
export interface ChannelStep extends CurveRows {
  readonly kind: 'channels';
  readonly keyed: Int32Array;
  readonly first: Int32Array;
  readonly gridOf: Int32Array;
  /** The key frames that occur, each once: joints that are posed together share them. */
  readonly grids: readonly Grid[];
  /** The slot of the first touched face channel. */
  readonly firstFace: number;
  /** What each touched joint has keys for, as bits: {@link MOVES}, {@link TURNS_PART}, {@link TURNS}, {@link SCALES}. */
  readonly kinds: Uint8Array;
  /** What each touched joint gains in translation over a cycle that travels, 3 numbers each; 0 for all but roots. */
  readonly gain: Float64Array;
  /** For each grid, room for the segment at the frame that is evaluated, and for the spot in it: two numbers. */
  readonly segment: Int32Array;
  readonly spot: Float64Array;
  /** Room for the value of every slot at the frame that is evaluated; not a number where nothing is keyed. */
  readonly values: Float64Array;
  /** The keys of each keyed curve: the ones that are the same when the layer is compiled again are not read again. */
  readonly knots: readonly Knots[];
}

/** How many slots a joint has among the values of a step, and where those of its angles and its scale begin. */
export const SLOTS = JOINT_CHANNELS.length;
export const ANGLES = JOINT_CHANNELS.indexOf('rx');
export const SCALE = JOINT_CHANNELS.indexOf('sx');

export const MOVES = 1;
export const TURNS_PART = 2;
/** All three angles are keyed. */
export const TURNS = 4;
export const SCALES = 8;

function kindsOf(slots: readonly (Knots | undefined)[], k: number): number {
  const count = (from: number) => {
    let found = 0;
    for (let slot = SLOTS * k + from; slot < SLOTS * k + from + 3; slot++) if (slots[slot]) found++;
    return found;
  };
  const turned = count(ANGLES);
  return (
    (count(0) > 0 ? MOVES : 0) |
    (turned > 0 ? TURNS_PART : 0) |
    (turned === 3 ? TURNS : 0) |
    (count(SCALE) > 0 ? SCALES : 0)
  );
}

/** The keys of the channels of a joint, as they are read; a channel without keys has none. */
export type JointKnots = (Knots | undefined)[];

/** Those of a joint without curves. */
export const NO_KNOTS: JointKnots = new Array(SLOTS).fill(undefined);

/** A layer's keys as they are read, by joint of the rig. */
export function knotsByJoint(layer: Layer, rig: Rig, time: OwnTime): Map<number, JointKnots> {
  const indices = topologyOf(rig).indices;
  const period: Period | undefined = time.loop === 'none' ? undefined : time;
  const found = new Map<number, JointKnots>();
  const channels = channelsOf(layer);
  for (const joint of Object.keys(channels)) {
    const index = indices.get(joint);
    if (index === undefined) continue;
    const own: JointKnots = new Array(SLOTS).fill(undefined);
    let any = false;
    for (let slot = 0; slot < SLOTS; slot++) {
      const curve = channels[joint][JOINT_CHANNELS[slot]];
      if (!curve || curve.keys.length === 0) continue;
      own[slot] = knotsOf(curve, period);
      any ||= own[slot] !== undefined;
    }
    if (any) found.set(index, own);
  }
  return found;
}

/** The keys of a layer's face channels as they are read, by their index among the face channels of the rig. */
export function knotsByFace(layer: Layer, rig: Rig, time: OwnTime): Map<number, Knots> {
  const period: Period | undefined = time.loop === 'none' ? undefined : time;
  const found = new Map<number, Knots>();
  for (const [name, { m }] of Object.entries(channelsOf(layer))) {
    const face = faceIndex(rig, name);
    const knots = face >= 0 && m && m.keys.length > 0 ? knotsOf(m, period) : undefined;
    if (knots) found.set(face, knots);
  }
  return found;
}

/**
 * Lays the curves of the touched joints, and then of the touched face channels, side by side; rotations become radians. `curves` are all by joint. Rows of curves
 * that stand as they stood in `before` are taken from there.
 */
export function channelStep(
  slots: readonly (Knots | undefined)[],
  curves: ReadonlyMap<number, JointKnots>,
  rig: Rig,
  touched: readonly number[],
  time: OwnTime,
  before?: ChannelStep,
): ChannelStep {
  const firstFace = SLOTS * touched.length;
  const keyed: number[] = [];
  const knotsOfKeyed: Knots[] = [];
  let keys = 0;
  let bezier = false;
  for (let slot = 0; slot < slots.length; slot++) {
    const knots = slots[slot];
    if (!knots) continue;
    keyed.push(slot);
    knotsOfKeyed.push(knots);
    keys += knots.to - knots.from;
    bezier ||= hasBezier(knots);
  }
  const { rows, handles } = roomFor(keys, bezier);
  const first = new Int32Array(keyed.length);
  const gridIndex = new Int32Array(keyed.length);
  const grids: Grid[] = [];
  let next = 0;
  for (let i = 0; i < keyed.length; i++) {
    const curve = knotsOfKeyed[i];
    first[i] = next;
    if (before?.firstFace === firstFace && isAsBefore(before, i, keyed[i], curve)) {
      gridIndex[i] = gridAmong(grids, before.grids[before.gridOf[i]]);
      copyRows(before, before.first[i], curve.to - curve.from, rows, handles, next);
    } else {
      gridIndex[i] = gridFor(grids, curve);
      const channel = keyed[i] % SLOTS;
      const turns = keyed[i] < firstFace && channel >= ANGLES && channel < SCALE;
      writeRows(curve, turns ? RADIANS : 1, rows, handles, next);
    }
    next += curve.to - curve.from;
  }
  return {
    kind: 'channels',
    keyed: Int32Array.from(keyed),
    rows,
    handles,
    first,
    gridOf: gridIndex,
    grids,
    firstFace,
    kinds: Uint8Array.from({ length: touched.length }, (_, k) => kindsOf(slots, k)),
    gain: Float64Array.from(
      touched.flatMap((j) =>
        [0, 1, 2].map((axis) => (rig.joints[j].parent < 0 ? gainOf(curves.get(j)?.[axis], time) : 0)),
      ),
    ),
    segment: new Int32Array(grids.length),
    spot: new Float64Array(2 * grids.length),
    values: new Float64Array(slots.length).fill(Number.NaN),
    knots: knotsOfKeyed,
  };
}

/** Whether curve `i` is of the same slot and has the same keys as the one in its place before. */
function isAsBefore(
  before: ChannelStep | undefined,
  i: number,
  slot: number,
  { keys, from, to }: Knots,
): before is ChannelStep {
  const known = before?.knots[i];
  return (
    known !== undefined &&
    before!.keyed[i] === slot &&
    known.keys === keys &&
    known.from === from &&
    known.to === to
  );
}

/** Index of a grid that is known; it is added where it is not there yet. */
function gridAmong(grids: Grid[], grid: Grid): number {
  const index = grids.indexOf(grid);
  return index < 0 ? grids.push(grid) - 1 : index;
}

/** Index of the grid on which keys stand; one that is not there yet is added. */
function gridFor(grids: Grid[], curve: Knots): number {
  for (let g = 0; g < grids.length; g++) if (isOnGrid(curve, grids[g])) return g;
  return grids.push(gridOf(curve)) - 1;
}

/** What a looped curve gains over its cycle, if it has a key at both ends. */
function gainOf(knots: Knots | undefined, time: OwnTime): number {
  if (!knots || time.loop !== 'travel') return 0;
  const { keys, from, to } = knots;
  const [first, last] = [keys[from], keys[to - 1]];
  // A curve that is not keyed at both ends goes on beyond the cycle with its first key come round again.
  const on = (frame: number, end: number) => Math.abs(frame - end) < 2 * FRAME_TOLERANCE;
  const ends = on(first.frame, time.start) && on(last.frame, time.start + time.length);
  return ends && to - from > 1 ? last.value - first.value : 0;
}
