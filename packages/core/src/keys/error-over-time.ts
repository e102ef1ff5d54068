import type { Parts } from '../rig/parts.js';
import type { Rig } from '../rig/rig.js';
import type { ErrorOverTime } from './motion-keys.js';

/** How far a joint, or an end site of it, is off over time. */
export interface JointError {
  readonly joint: number;
  /** The largest of each stretch of samples, in units of the rig. */
  readonly lengths: Float32Array;
}

/** Cuts `count` samples into stretches, `most` of them at most, and notes how far joints are off in each as it is found. */
export function watchedStretches(rig: Rig, count: number, most: number) {
  const stretch = Math.max(1, Math.ceil(count / most));
  const found: ErrorOverTime = {
    stretch,
    lengths: rig.joints.map(() => new Float32Array(Math.ceil(count / stretch))),
  };
  const n = rig.joints.length;
  return {
    found,
    /** Adds how far each joint is off, a number a joint and sample; the first is sample `from`. */
    add(lengths: Float32Array, from: number): void {
      for (let i = 0; i < lengths.length; i++) {
        const own = found.lengths[i % n];
        const at = Math.floor((from + Math.floor(i / n)) / stretch);
        if (lengths[i] > own[at]) own[at] = lengths[i];
      }
    },
  };
}

/** The worst joint of each of the parts that are off by the most, the worst first. */
export function worstJoints({ lengths }: ErrorOverTime, parts: Parts, count: number): JointError[] {
  const most = lengths.map((own, joint) => ({
    joint,
    lengths: own,
    peak: own.reduce((a, b) => Math.max(a, b), 0),
  }));
  most.sort((a, b) => b.peak - a.peak);
  return most
    .filter(({ joint }, k) => most.findIndex((one) => parts[one.joint] === parts[joint]) === k)
    .slice(0, count)
    .map(({ joint, lengths: own }) => ({ joint, lengths: own }));
}
