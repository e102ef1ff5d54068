import type { Scalar } from '../curve/curve.js';
import type { CompiledScalar } from '../curve/evaluate.js';
import type { Layer } from '../layer/layer.js';
import type { OwnTime } from '../layer/time.js';
import type { EulerOrder } from '../math/euler.js';
import type { LimbCorrections } from '../rig/limbs.js';
import type { Placed } from '../rig/placed.js';
import type { Pose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import type { Take } from '../take/take.js';
import type { ContactCache } from './contacts/contact-cache.js';
import type { Count } from './counts.js';
import type { Kernel, KernelTrack } from './kernel.js';
import type { CompiledPlacement } from './placement.js';
import type { Step } from './steps/step.js';

/** Members that stand one after the other among those that a layer touches and count alike. */
export interface MemberRange extends Count {
  /** First of them and end, as indices into `touched` and, behind it, `faces`. */
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
  /** Face channels of which the same holds, by their index among face channels, ascending. */
  readonly faces: Int32Array;
  /** Whether all of these count alike. */
  readonly evenFaces: boolean;
  readonly ranges: readonly MemberRange[];
  /** For each joint of the rig its index in `touched`, or -1. */
  readonly slots: Int32Array;
  /** How every member of the rig counts, touched or not. */
  readonly counts: readonly Count[];
  /** Whether a take or curves of it have values for a joint, whatever counts. */
  readonly brings: (joint: number) => boolean;
  /** Whether it corrects what is below: then what it does to a joint is measured as a change, not as a share. */
  readonly corrects: boolean;
  /** Whether the content holds rotation, for each touched joint. */
  readonly rotates: Uint8Array;
  /** Whether it rotates every joint of the rig, and all count alike. */
  readonly whole: boolean;
  readonly scalars: readonly CompiledScalar[];
  /** Room for the values of `scalars`, and for α of every touched joint and then every touched face channel, at the frame that is evaluated. */
  readonly scalarValues: Float64Array;
  readonly alphas: Float64Array;
  readonly weight: CompiledScalar;
  readonly maxWeight: number;
  /** The weight of its group, 1 where it is in none, and the same compiled where it is not 1. */
  readonly groupWeight: Scalar;
  readonly byGroup: CompiledScalar | undefined;
  /** Whether α is the same at every frame: then `alphas` hold it from the start. */
  readonly steady: boolean;
}

/** A stack made ready for evaluation. */
export interface CompiledStack {
  readonly rig: Rig;
  readonly parts: readonly string[];
  readonly limbs: LimbCorrections;
  readonly fps: number;
  readonly takes: readonly Take[];
  readonly rest: Pose;
  readonly orders: readonly EulerOrder[];
  readonly parents: Int32Array;
  readonly layers: readonly CompiledLayer[];
  /** For each layer whether it is switched on (mute and solo). */
  readonly live: readonly boolean[];
  /** Blends takes, where this machine runs it; and for each layer that plays one its samples in it. */
  readonly kernel: Kernel | undefined;
  /** The rest pose as the kernel has it. */
  readonly restRow: Float32Array;
  readonly tracks: readonly (KernelTrack | undefined)[];
  /** For each layer that holds contacts what it knows of the motion below. */
  readonly contactCaches: readonly (ContactCache | undefined)[];
  /** Room for where all joints are. */
  readonly placed: Placed;
  /** Room for the global orientations of all joints. */
  readonly orientations: Float64Array;
  /** Room for the turns of the axes of a layer, one for each character. */
  readonly axes: readonly Float64Array[];
  /** For each joint the scale of the frame of its character: 1 without one. */
  readonly lengths: Float64Array;
}

/** Whether the kernel blends a layer's whole pose, the base's with it. */
export const goesWhole = ({ steps, whole, placement }: CompiledLayer): boolean =>
  whole && !placement && steps.length === 1 && steps[0].kind === 'take';
