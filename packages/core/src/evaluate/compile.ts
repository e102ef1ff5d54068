import { type CompiledCurve, type CompiledScalar, compileScalar } from '../curve/evaluate.js';
import { isLive, type Layer, maxWeight, takeOf } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { type OwnTime, ownTime } from '../layer/time.js';
import type { EulerOrder } from '../math/euler.js';
import { type Pose, restPose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import type { Take } from '../take/take.js';
import { channelStep, curvesByJoint } from './channel-step.js';
import { readAlphas, readWeight } from './gate.js';
import { type Kernel, kernelFor } from './kernel.js';
import { type CompiledPlacement, compilePlacement } from './placement.js';
import { type Step, takeStepOf } from './step.js';
import { takeStep } from './take-step.js';

/** What a joint's weight within a layer is made of: mask value and further factor, as indices into `scalars`. */
export interface Count {
  readonly mask: number;
  readonly factor: number;
}

/** In place of an index into `scalars`: a plain 1, and a plain 0. */
export const FULL = -1;
export const NONE = -2;

/** Joints that stand one after the other in a layer's `touched` and count alike. */
export interface Run extends Count {
  /** First of them and end, as indices into `touched`. */
  readonly from: number;
  readonly to: number;
}

/** A layer made ready for evaluation: everything looked up, nothing by name. */
export interface CompiledLayer {
  readonly layer: Layer;
  readonly additive: boolean;
  readonly time: OwnTime;
  readonly steps: readonly Step[];
  readonly placement: CompiledPlacement | undefined;
  /** Joints that the content touches and that mask and factors do not shut out, ascending. */
  readonly touched: Int32Array;
  readonly runs: readonly Run[];
  /** How every joint of the rig counts, touched or not. */
  readonly counts: readonly Count[];
  /** Whether the content holds rotation, for each touched joint. */
  readonly rotates: Uint8Array;
  /** Whether it rotates every joint of the rig, and all count alike. */
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
 * object and plays the same samples is not compiled again, so that an edit costs one layer, and one that only renames
 * a take or changes its contacts costs none.
 */
export function compileStack(project: Project, previous?: CompiledStack): CompiledStack {
  const { rig, parts, fps, takes, layers } = project;
  const same = previous && previous.rig === rig && previous.parts === parts && previous.fps === fps;
  const known = new Map<Layer, CompiledLayer>();
  if (same) for (const compiled of previous.layers) known.set(compiled.layer, compiled);
  const compiled = layers.map((layer) => {
    const before = known.get(layer);
    const take = takes.find(({ id }) => id === takeOf(layer)?.take);
    return before && sameSamples(takeStepOf(before.steps)?.take, take)
      ? before
      : compileLayer(layer, take, project);
  });
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
    tracks: Float64Array.from(compiled, ({ steps }) => {
      const take = takeStepOf(steps)?.take;
      return (take && kernel?.tracks.get(take.rotations)) ?? 0;
    }),
    orientations: same ? previous.orientations : new Float64Array(4 * rig.joints.length),
  };
}

/** Whether two takes hold the same samples, whatever they are called and whenever their feet stand. */
const sameSamples = (a: Take | undefined, b: Take | undefined): boolean =>
  a === b ||
  (a !== undefined &&
    b !== undefined &&
    a.rig === b.rig &&
    a.interval === b.interval &&
    a.translations === b.translations &&
    a.rotations === b.rotations &&
    a.scales === b.scales);

/** Whether the kernel blends a layer's whole pose, the base's with it. */
export const goesWhole = ({ steps, whole, placement }: CompiledLayer): boolean =>
  whole && !placement && steps.length === 1 && steps[0].kind === 'take';

/** The takes that the kernel has to hold: those above the base, and that of the base where it may go along. */
function takesBlended(layers: readonly CompiledLayer[]): Take[] {
  const above = layers.slice(1);
  const used = goesWhole(layers[0]) && above.some(goesWhole) ? layers : above;
  return used.flatMap(({ steps }) => takeStepOf(steps)?.take ?? []);
}

/** How each joint of the rig counts in a layer, and the scalars that this needs. */
function countsOf(layer: Layer, { rig, parts }: Pick<Project, 'rig' | 'parts'>) {
  const scalars: CompiledScalar[] = [];
  const slots = new Map<string, number>();
  const slotOf = (key: string, scalar: Layer['weight'] | undefined, missing: number): number => {
    if (scalar === undefined) return missing;
    if (typeof scalar === 'number' && scalar >= 1) return FULL;
    if (typeof scalar === 'number' && scalar <= 0) return NONE;
    let slot = slots.get(key);
    if (slot === undefined) {
      slot = scalars.push(compileScalar(scalar)) - 1;
      slots.set(key, slot);
    }
    return slot;
  };
  const counts = rig.joints.map(
    ({ name }, j): Count => ({
      mask: layer.mask ? slotOf(`part ${parts[j]}`, layer.mask[parts[j]], NONE) : FULL,
      factor: slotOf(`joint ${name}`, layer.joints?.[name], FULL),
    }),
  );
  return { counts, scalars };
}

function compileLayer(layer: Layer, take: Take | undefined, project: Project): CompiledLayer {
  const { rig, fps } = project;
  const { counts, scalars } = countsOf(layer, project);
  const time = ownTime(layer, take, fps);
  const taken = take && takeStep(takeOf(layer)!.reference, take, rig, time, fps);
  const curves = taken ? new Map<number, never>() : curvesByJoint(layer, rig, time);
  const touched: number[] = [];
  const rotates: number[] = [];
  const runs: Run[] = [];
  const kept: (CompiledCurve | undefined)[] = [];
  for (let j = 0; j < rig.joints.length; j++) {
    const own = curves.get(j);
    const rotatesHere = taken ? taken.rotation[j] >= 0 : !!own && (!!own[3] || !!own[4] || !!own[5]);
    if (taken ? !rotatesHere && taken.translation[j] < 0 && taken.scale[j] < 0 : !own) continue;
    const { mask, factor } = counts[j];
    if (mask === NONE || factor === NONE) continue;
    const to = touched.push(j);
    rotates.push(rotatesHere ? 1 : 0);
    if (own) kept.push(...own);
    const run = runs[runs.length - 1];
    if (run && run.mask === mask && run.factor === factor) runs[runs.length - 1] = { ...run, to };
    else runs.push({ from: to - 1, to, mask, factor });
  }
  const steps: Step[] = [];
  if (taken) steps.push(taken);
  else if (kept.length > 0) steps.push(channelStep(kept, curves.get(0), time));
  const steady =
    typeof layer.weight === 'number' &&
    !layer.span &&
    runs.every(({ mask, factor }) => mask === FULL && factor === FULL);
  const compiled: CompiledLayer = {
    layer,
    additive: layer.mode === 'additive',
    time,
    steps,
    placement: layer.mode === 'override' && layer.placement ? compilePlacement(layer.placement) : undefined,
    touched: Int32Array.from(touched),
    runs,
    counts,
    rotates: Uint8Array.from(rotates),
    whole: runs.length === 1 && rotates.length === rig.joints.length && !rotates.includes(0),
    scalars,
    scalarValues: new Float64Array(scalars.length),
    alphas: new Float64Array(touched.length),
    weight: compileScalar(layer.weight),
    maxWeight: maxWeight(layer.mode),
    steady,
  };
  if (steady) {
    const anyFrame = [0, 0];
    readWeight(compiled, anyFrame, 0, anyFrame, 1);
    readAlphas(compiled, anyFrame, 1, anyFrame, 0);
  }
  return compiled;
}
