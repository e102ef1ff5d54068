import { type CompiledCurve, type CompiledScalar, compileScalar } from '../curve/evaluate.js';
import { isLive, type Layer, maxWeight } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { type OwnTime, ownTime } from '../layer/time.js';
import type { EulerOrder } from '../math/euler.js';
import { type Pose, restPose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import type { Take } from '../take/take.js';
import {
  type ChannelContent,
  channelContent,
  curvesByJoint,
  type TakeContent,
  takeContent,
} from './content.js';
import { type Kernel, kernelFor } from './kernel.js';
import { type CompiledPlacement, compilePlacement } from './placement.js';

/** Joints that stand one after the other in a layer's `touched` and count alike: the same mask and factor. */
export interface Run {
  /** First of them and end, as places in `touched`. */
  readonly from: number;
  readonly to: number;
  /** Mask value and further factor, as indices into `scalars`; -1 counts 1. */
  readonly mask: number;
  readonly factor: number;
}

/** A layer made ready for evaluation: everything looked up, nothing by name. */
export interface CompiledLayer {
  readonly layer: Layer;
  readonly additive: boolean;
  readonly time: OwnTime;
  readonly content: TakeContent | ChannelContent;
  readonly placement: CompiledPlacement | undefined;
  /** Joints that the content touches and that mask and factors do not shut out, ascending. */
  readonly touched: Int32Array;
  readonly runs: readonly Run[];
  /** Whether the content holds rotation, for each touched joint. */
  readonly turns: Uint8Array;
  /** Whether it turns every joint of the rig, and all count alike. */
  readonly whole: boolean;
  readonly scalars: readonly CompiledScalar[];
  /** Room for the values of `scalars`, and for α of every touched joint, at the frame that is evaluated. */
  readonly scalarValues: Float64Array;
  readonly alphas: Float64Array;
  readonly weight: CompiledScalar;
  readonly maxWeight: number;
  /** Whether α is the same at every frame: then `alphas` hold it from the start. */
  readonly steady: boolean;
}

/** A stack made ready for evaluation. */
export interface CompiledStack {
  readonly rig: Rig;
  readonly parts: readonly string[];
  readonly fps: number;
  readonly takes: readonly Take[];
  readonly rest: Pose;
  readonly orders: readonly EulerOrder[];
  readonly parents: Int32Array;
  readonly layers: readonly CompiledLayer[];
  /** For each layer whether it is switched on (mute and solo). */
  readonly live: readonly boolean[];
  /** Blends takes, where this machine runs it; and where the samples of each layer's take begin in it. */
  readonly kernel: Kernel | undefined;
  readonly tracks: Float64Array;
  /** Room for the global orientations of all joints. */
  readonly orientations: Float64Array;
}

/**
 * Compiles the stack of a project. What `previous` has of it already is taken over: a layer that is the same
 * object is not compiled again, so that an edit costs one layer.
 */
export function compileStack(project: Project, previous?: CompiledStack): CompiledStack {
  const { rig, parts, fps, takes, layers } = project;
  const same =
    previous &&
    previous.rig === rig &&
    previous.parts === parts &&
    previous.takes === takes &&
    previous.fps === fps;
  const known = new Map<Layer, CompiledLayer>();
  if (same) for (const compiled of previous.layers) known.set(compiled.layer, compiled);
  const compiled = layers.map((layer) => known.get(layer) ?? compileLayer(layer, project));
  const rest = same ? previous.rest : restPose(rig);
  const kernel = kernelFor(rig, rest, takesBlended(compiled));
  return {
    rig,
    parts,
    fps,
    takes,
    rest,
    orders: same ? previous.orders : rig.joints.map((joint) => joint.order),
    parents: same ? previous.parents : Int32Array.from(rig.joints, (joint) => joint.parent),
    layers: compiled,
    live: layers.map((_, index) => isLive(layers, index)),
    kernel,
    tracks: Float64Array.from(compiled, ({ content }) =>
      content.kind === 'take' ? (kernel?.tracks.get(content.take) ?? 0) : 0,
    ),
    orientations: same ? previous.orientations : new Float64Array(4 * rig.joints.length),
  };
}

/** Whether the kernel blends a layer's whole pose, the base's with it. */
export const goesWhole = ({ content, whole, placement }: CompiledLayer): boolean =>
  content.kind === 'take' && whole && !placement;

/** The takes that the kernel has to hold: those above the base, and that of the base where it may go along. */
function takesBlended(layers: readonly CompiledLayer[]): Take[] {
  const above = layers.slice(1);
  const used = goesWhole(layers[0]) && above.some(goesWhole) ? layers : above;
  return used.flatMap(({ content }) => (content.kind === 'take' ? [content.take] : []));
}

function compileLayer(layer: Layer, { rig, parts, takes, fps }: Project): CompiledLayer {
  const scalars: CompiledScalar[] = [];
  const slots = new Map<string, number>();
  /** Slot of a factor; -1 for a plain 1, -2 for a plain 0. */
  const slotOf = (key: string, scalar: Layer['weight'] | undefined, missing: number): number => {
    if (scalar === undefined) return missing;
    if (typeof scalar === 'number' && scalar >= 1) return -1;
    if (typeof scalar === 'number' && scalar <= 0) return -2;
    let slot = slots.get(key);
    if (slot === undefined) {
      slot = scalars.push(compileScalar(scalar)) - 1;
      slots.set(key, slot);
    }
    return slot;
  };
  const take = takes.find((candidate) => candidate.id === layer.take?.id);
  const time = ownTime(layer, take, fps);
  const taken = take && takeContent(layer, take, rig, time, fps);
  const curves = taken ? new Map<number, never>() : curvesByJoint(layer, rig, time);
  const touched: number[] = [];
  const turns: number[] = [];
  const runs: Run[] = [];
  const kept: (CompiledCurve | undefined)[] = [];
  for (let j = 0; j < rig.joints.length; j++) {
    const own = curves.get(j);
    const rotates = taken ? taken.rotation[j] >= 0 : !!own && (!!own[3] || !!own[4] || !!own[5]);
    if (taken ? !rotates && taken.translation[j] < 0 && taken.scale[j] < 0 : !own) continue;
    const mask = layer.mask ? slotOf(`part ${parts[j]}`, layer.mask[parts[j]], -2) : -1;
    const factor = slotOf(`joint ${rig.joints[j].name}`, layer.joints?.[rig.joints[j].name], -1);
    if (mask === -2 || factor === -2) continue;
    const to = touched.push(j);
    turns.push(rotates ? 1 : 0);
    if (own) kept.push(...own);
    const run = runs[runs.length - 1];
    if (run && run.mask === mask && run.factor === factor) runs[runs.length - 1] = { ...run, to };
    else runs.push({ from: to - 1, to, mask, factor });
  }
  const most = maxWeight(layer.mode);
  const steadyWeight = typeof layer.weight === 'number' ? Math.min(most, Math.max(0, layer.weight)) : 0;
  const steady = typeof layer.weight === 'number' && !layer.span && scalars.length === 0;
  return {
    layer,
    additive: layer.mode === 'additive',
    time,
    content: taken ?? channelContent(kept, curves.get(0), time),
    placement: layer.mode === 'override' && layer.placement ? compilePlacement(layer.placement) : undefined,
    touched: Int32Array.from(touched),
    runs,
    turns: Uint8Array.from(turns),
    whole: runs.length === 1 && turns.length === rig.joints.length && !turns.includes(0),
    scalars,
    scalarValues: new Float64Array(scalars.length),
    alphas: new Float64Array(touched.length).fill(steady ? steadyWeight : 0),
    weight: compileScalar(layer.weight),
    maxWeight: most,
    steady,
  };
}
