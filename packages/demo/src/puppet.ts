import { type Pose, type Rig, restPose } from '@evlay/core';
import { facesOf, globalMatrices, globalOrientations } from '@evlay/core/rig';
import type { Samples } from '@evlay/core/take';
import type { Turn } from './turn.js';
import { add, dot, length, normal, scale, sub, type V } from './vector.js';

/** Poses a rig joint by joint, by name. */
export interface Puppet {
  readonly rig: Rig;
  readonly index: (name: string) => number;
  readonly setTurn: (pose: Pose, name: string, turn: Turn) => void;
  /** How a joint is turned in the scene. */
  readonly orientation: (pose: Pose, name: string) => Turn;
  /** Where a joint is in the scene. */
  readonly place: (pose: Pose, name: string) => V;
}

export function puppetOf(rig: Rig): Puppet {
  const n = rig.joints.length;
  const index = (name: string): number => {
    const j = rig.joints.findIndex((joint) => joint.name === name);
    if (j < 0) throw new Error(`there is no joint ${name}`);
    return j;
  };
  return {
    rig,
    index,
    setTurn: (pose, name, turn) => pose.rotations.set(turn, 4 * index(name)),
    orientation: (pose, name) => {
      const all = globalOrientations(rig, pose, new Float64Array(4 * n));
      return [...all.subarray(4 * index(name), 4 * index(name) + 4)];
    },
    place: (pose, name) => {
      const at = 16 * index(name) + 12;
      const all = globalMatrices(rig, pose, new Float64Array(16 * n));
      return [all[at], all[at + 1], all[at + 2]];
    },
  };
}

/** Samples of every joint and face channel, one a frame, from the pose at each frame. */
export function recorded(rig: Rig, frames: number, fps: number, poseAt: (frame: number) => Pose): Samples {
  const n = rig.joints.length;
  const joints = Int32Array.from({ length: n }, (_, j) => j);
  const rest = restPose(rig);
  const samples: Samples = {
    count: frames,
    interval: 1 / fps,
    translations: { joints, size: 3, values: new Float64Array(3 * n * frames) },
    rotations: { joints, size: 4, values: new Float64Array(4 * n * frames) },
    scales: { joints, size: 3, values: new Float64Array(3 * n * frames) },
    faces: {
      joints: Int32Array.from(facesOf(rig).keys()),
      size: 1,
      values: new Float64Array(facesOf(rig).length * frames),
    },
  };
  for (let frame = 0; frame < frames; frame++) {
    const pose = poseAt(frame);
    samples.translations.values.set(pose.translations, 3 * n * frame);
    samples.rotations.values.set(pose.rotations, 4 * n * frame);
    samples.scales.values.set(rest.scales, 3 * n * frame);
    samples.faces.values.set(pose.faces, pose.faces.length * frame);
  }
  return samples;
}

/**
 * Where the middle joint of a limb comes to lie that reaches from `start` towards `target` with bones of lengths `a` and
 * `b`, bending to the side of `towards`, and where its end does (law of cosines).
 */
export function bend(start: V, target: V, a: number, b: number, towards: V): { middle: V; end: V } {
  const reach = sub(target, start);
  const distance = Math.min(length(reach), 0.9995 * (a + b));
  const straight = normal(reach);
  const side = normal(sub(towards, scale(straight, dot(towards, straight))));
  const angle = Math.acos((a * a + distance * distance - b * b) / (2 * a * distance));
  const middle = add(start, scale(add(scale(straight, Math.cos(angle)), scale(side, Math.sin(angle))), a));
  return { middle, end: add(start, scale(straight, distance)) };
}
