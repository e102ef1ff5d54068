import {
  type CompiledCurve,
  type CompiledScalar,
  type CurveRows,
  compileCurve,
  compileScalar,
  type Grid,
} from '../curve/evaluate.js';
import { CHANNELS, isLive, type Layer, layerCurves, maxWeight } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { type EulerOrder, RADIANS } from '../math/euler.js';
import { type Pose, restPose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import { type Take, trackEntries } from '../take/take.js';

/** What a take brings to the joints of a rig: for each joint the entry of its samples, or -1. */
export interface TakeContent {
  readonly kind: 'take';
  readonly take: Take;
  readonly translation: Int32Array;
  readonly rotation: Int32Array;
  readonly scale: Int32Array;
}

/**
 * Keyed channels. The rows of all curves stand one after the other; `first` and `gridOf` have nine places for
 * each touched joint, in the order of {@link CHANNELS}: the first row of its curve and the grid of its keys, or
 * -1 where nothing is keyed.
 */
export interface ChannelContent extends CurveRows {
  readonly kind: 'channels';
  readonly first: Int32Array;
  readonly gridOf: Int32Array;
  /** The key frames that occur, each once: joints that are posed together share them. */
  readonly grids: readonly Grid[];
  /** For each grid, room for the segment at the frame that is evaluated, the frames into it, and its length. */
  readonly segment: Int32Array;
  readonly offset: Float64Array;
  readonly length: Float64Array;
}

/** A layer made ready for evaluation: everything looked up, nothing by name. */
export interface CompiledLayer {
  readonly layer: Layer;
  readonly additive: boolean;
  readonly content: TakeContent | ChannelContent;
  /** Joints that the content touches and that mask and factors do not shut out, ascending. */
  readonly touched: Int32Array;
  /** Whether the content holds rotation, for each touched joint. */
  readonly turns: Uint8Array;
  /** Mask value and further factor of each touched joint, as indices into `scalars`; -1 counts 1. */
  readonly maskOf: Int32Array;
  readonly factorOf: Int32Array;
  readonly scalars: readonly CompiledScalar[];
  /** Room for the values of `scalars` at the frame that is evaluated. */
  readonly scalarValues: Float64Array;
  readonly weight: CompiledScalar;
  readonly maxWeight: number;
}

/** A stack made ready for evaluation. */
export interface CompiledStack {
  readonly rig: Rig;
  readonly parts: readonly string[];
  readonly fps: number;
  readonly takes: readonly Take[];
  readonly rest: Pose;
  readonly orders: readonly EulerOrder[];
  readonly layers: readonly CompiledLayer[];
  /** For each layer whether it is switched on (mute and solo). */
  readonly live: readonly boolean[];
}

/**
 * Compiles the stack of a project. What `previous` has of it already is taken over: a layer that is the same
 * object is not compiled again, so that an edit costs one layer.
 */
export function compileStack(project: Project, previous?: CompiledStack): CompiledStack {
  const { rig, parts, fps, takes, layers } = project;
  const same = previous && previous.rig === rig && previous.parts === parts && previous.takes === takes;
  const known = new Map<Layer, CompiledLayer>();
  if (same) for (const compiled of previous.layers) known.set(compiled.layer, compiled);
  return {
    rig,
    parts,
    fps,
    takes,
    rest: same ? previous.rest : restPose(rig),
    orders: same ? previous.orders : rig.joints.map((joint) => joint.order),
    layers: layers.map((layer) => known.get(layer) ?? compileLayer(layer, rig, parts, takes)),
    live: layers.map((_, index) => isLive(layers, index)),
  };
}

function compileLayer(
  layer: Layer,
  rig: Rig,
  parts: readonly string[],
  takes: readonly Take[],
): CompiledLayer {
  const scalars: CompiledScalar[] = [];
  const slots = new Map<string, number>();
  /** Slot of a factor; -1 for a plain 1, -2 for a plain 0. */
  const slotOf = (key: string, scalar: Layer['weight'] | undefined, missing: number): number => {
    if (scalar === undefined) return missing;
    if (scalar === 1) return -1;
    if (typeof scalar === 'number' && scalar <= 0) return -2;
    let slot = slots.get(key);
    if (slot === undefined) {
      slot = scalars.push(compileScalar(scalar)) - 1;
      slots.set(key, slot);
    }
    return slot;
  };
  const content = layer.take ? takeContent(layer, rig, takes) : undefined;
  const curvesOf = new Map<number, (CompiledCurve | undefined)[]>();
  if (!content) {
    const indices = new Map(rig.joints.map((joint, index) => [joint.name, index]));
    for (const { joint, channel, curve } of layerCurves(layer)) {
      const index = indices.get(joint);
      if (index === undefined) continue;
      const curves = curvesOf.get(index) ?? new Array(9).fill(undefined);
      const slot = CHANNELS.indexOf(channel);
      curves[slot] = compileCurve(curve, slot >= 3 && slot < 6 ? RADIANS : 1);
      curvesOf.set(index, curves);
    }
  }
  const touched: number[] = [];
  const maskOf: number[] = [];
  const factorOf: number[] = [];
  const turns: number[] = [];
  const kept: (CompiledCurve | undefined)[] = [];
  for (let j = 0; j < rig.joints.length; j++) {
    const own = curvesOf.get(j);
    const rotates = content ? content.rotation[j] >= 0 : !!own && (!!own[3] || !!own[4] || !!own[5]);
    if (content ? !rotates && content.translation[j] < 0 && content.scale[j] < 0 : !own) continue;
    const mask = layer.mask ? slotOf(`part ${parts[j]}`, layer.mask[parts[j]], -2) : -1;
    const factor = slotOf(`joint ${rig.joints[j].name}`, layer.joints?.[rig.joints[j].name], -1);
    if (mask === -2 || factor === -2) continue;
    touched.push(j);
    turns.push(rotates ? 1 : 0);
    maskOf.push(mask);
    factorOf.push(factor);
    if (own) kept.push(...own);
  }
  return {
    layer,
    additive: layer.mode === 'additive',
    content: content ?? channelContent(kept),
    touched: Int32Array.from(touched),
    turns: Uint8Array.from(turns),
    maskOf: Int32Array.from(maskOf),
    factorOf: Int32Array.from(factorOf),
    scalars,
    scalarValues: new Float64Array(scalars.length),
    weight: compileScalar(layer.weight),
    maxWeight: maxWeight(layer.mode),
  };
}

function channelContent(slots: readonly (CompiledCurve | undefined)[]): ChannelContent {
  const first = new Int32Array(slots.length).fill(-1);
  const gridOf = new Int32Array(slots.length).fill(-1);
  const curves = slots.filter((curve) => curve !== undefined);
  const keys = curves.reduce((sum, { grid }) => sum + grid.length, 0);
  const rows = new Float64Array(4 * keys);
  const handles = curves.some((curve) => curve.handles) ? new Float64Array(5 * keys) : undefined;
  const grids = new Map<string, Grid>();
  const names: string[] = [];
  let next = 0;
  for (const [slot, curve] of slots.entries()) {
    if (!curve) continue;
    const name = curve.grid.join(' ');
    if (!grids.has(name)) {
      grids.set(name, curve.grid);
      names.push(name);
    }
    first[slot] = next;
    gridOf[slot] = names.indexOf(name);
    rows.set(curve.rows, 4 * next);
    if (curve.handles) handles?.set(curve.handles, 5 * next);
    next += curve.grid.length;
  }
  return {
    kind: 'channels',
    rows,
    handles,
    first,
    gridOf,
    grids: [...grids.values()],
    segment: new Int32Array(grids.size),
    offset: new Float64Array(grids.size),
    length: new Float64Array(grids.size),
  };
}

function takeContent(layer: Layer, rig: Rig, takes: readonly Take[]): TakeContent | undefined {
  const take = takes.find((candidate) => candidate.id === layer.take?.id);
  if (!take) return undefined;
  return {
    kind: 'take',
    take,
    translation: trackEntries(rig, take.rig, take.translations),
    rotation: trackEntries(rig, take.rig, take.rotations),
    scale: trackEntries(rig, take.rig, take.scales),
  };
}
