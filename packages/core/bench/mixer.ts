import * as THREE from 'three';
import type { Take } from '../src/index.js';

/** Frames at which both are evaluated: between samples, at a rate of 30 a second. */
export const FRAMES = Array.from({ length: 40 }, (_, k) => 2.37 * k + 0.41);

/** three's AnimationMixer with one action a take, the first as the base. */
export interface Mixer {
  readonly bones: readonly THREE.Object3D[];
  /** Goes to a frame, with the weights of the actions above the base. */
  show(frame: number, weights: readonly number[]): void;
}

function clipOf(take: Take): THREE.AnimationClip {
  const times = Array.from({ length: take.count }, (_, k) => k * take.interval);
  const n = take.rig.joints.length;
  const rotations = take.rig.joints.map((joint, j) => {
    const values = times.flatMap((_, s) => [
      ...take.rotations.values.subarray(4 * (s * n + j), 4 * (s * n + j) + 4),
    ]);
    return new THREE.QuaternionKeyframeTrack(`${joint.name}.quaternion`, times, values);
  });
  const root = new THREE.VectorKeyframeTrack('joint0.position', times, [...take.translations.values]);
  return new THREE.AnimationClip(take.id, -1, [...rotations, root]);
}

export function mixerOf(base: Take, takes: readonly Take[], additive: boolean): Mixer {
  const bones = base.rig.joints.map((joint) => {
    const bone = new THREE.Object3D();
    bone.name = joint.name;
    return bone;
  });
  for (const [j, joint] of base.rig.joints.entries())
    if (joint.parent >= 0) bones[joint.parent].add(bones[j]);
  const player = new THREE.AnimationMixer(bones[0]);
  player.clipAction(clipOf(base)).play();
  const actions = takes.map((take) => {
    const clip = clipOf(take);
    return player.clipAction(additive ? THREE.AnimationUtils.makeClipAdditive(clip) : clip).play();
  });
  return {
    bones,
    show(frame, weights) {
      for (const [i, action] of actions.entries()) action.setEffectiveWeight(weights[i]);
      player.setTime(frame / 30);
    },
  };
}

/**
 * The weights with which three shows what override layers of weights α show: three takes each action's part of the
 * sum of weights so far, Evlay α itself.
 */
export function mixerWeights(alphas: readonly number[]): number[] {
  let sum = 1;
  return alphas.map((alpha) => {
    const weight = (alpha * sum) / (1 - alpha);
    sum += weight;
    return weight;
  });
}
