import { restPose } from '@evlay/core';
import { applyLayers } from '@evlay/core/evaluate';
import { copyPose, globalMatrices } from '@evlay/core/rig';
import type { Editor } from './editor.js';

/** Where joints are at every frame from `from` on, three numbers a frame, in the rig's unit. */
export interface Trails {
  readonly from: number;
  readonly count: number;
  readonly result: ReadonlyMap<number, Float32Array>;
  readonly base: ReadonlyMap<number, Float32Array>;
}

/** More frames than these are not shown at once: those around the playhead are. */
const MOST = 600;

/** Works out trails of joints, a frame at a time. */
export function* trailing(editor: Editor, joints: readonly number[]): Generator<undefined, Trails> {
  const { stack, project } = editor.stage.get();
  const { rig, range } = project;
  const now = editor.playhead.get();
  const from = Math.max(range[0], Math.min(range[1] - MOST, now - MOST / 2));
  const count = Math.min(MOST, Math.floor(range[1] - from)) + 1;
  const empty = () => new Map(joints.map((j) => [j, new Float32Array(3 * count)]));
  const [result, base] = [empty(), empty()];
  const pose = restPose(rig);
  const rest = restPose(rig);
  const matrices = new Float64Array(16 * rig.joints.length);
  const read = (to: Map<number, Float32Array>, k: number) => {
    globalMatrices(rig, pose, matrices);
    for (const j of joints)
      for (let axis = 0; axis < 3; axis++) to.get(j)![3 * k + axis] = matrices[16 * j + 12 + axis];
  };
  for (let k = 0; k < count; k++) {
    copyPose(pose, rest);
    applyLayers(stack, from + k, 0, 1, pose);
    read(base, k);
    applyLayers(stack, from + k, 1, stack.layers.length, pose);
    read(result, k);
    yield undefined;
  }
  return { from, count, result, base };
}
