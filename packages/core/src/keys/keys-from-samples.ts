import type { Rig } from '../rig/rig.js';
import { motionOn, trimmed } from '../take/reshape.js';
import type { Samples } from '../take/take.js';
import { findKeys, type KeysJob } from './find-keys.js';
import type { KeysWanted, MotionKeys } from './motion-keys.js';

/** Finds few keys for samples in memory, which hold every joint of a rig, as {@link findKeys} does. */
export function keysFromSamples(
  rig: Rig,
  samples: Samples,
  wanted: KeysWanted,
  job?: KeysJob,
): Promise<MotionKeys> {
  const { count, interval } = samples;
  const motion = motionOn(rig, samples);
  const bring = async (from: number, to: number) => trimmed(motion, [from, to - 1]);
  return findKeys(rig, { count, interval, bring: [bring] }, wanted, job);
}
