import { type CompiledStack, compileStack, evaluateStack, type Pose, type Project, restPose } from '@evlay/core';
import { type Attribution, newAttribution } from '@evlay/core/evaluate';
import { angleBetween } from '@evlay/core/math';
import { globalMatrices } from '@evlay/core/rig';
import { playhead } from './playhead.js';
import { seenProject, seenStore } from './seen.js';

/** Everything that is shown of one frame. The buffers are written anew for every frame. */
export interface Shown {
  readonly project: Project;
  readonly stack: CompiledStack;
  readonly pose: Pose;
  readonly matrices: Float64Array;
  readonly attribution: Attribution;
  frame: number;
}

let shown: Shown | undefined;
const listeners = new Set<() => void>();

/** The project as it is seen, evaluated at the playhead. */
export const stage = {
  get: (): Shown | undefined => shown,
  subscribe(listener: () => void): () => void {
    listeners.add(listener);
    return () => listeners.delete(listener);
  },
};

function update(): void {
  const project = seenProject();
  if (!project) {
    shown = undefined;
    return;
  }
  const frame = playhead.get();
  if (shown?.project !== project) {
    const n = project.rig.joints.length;
    const layers = project.layers.length;
    const sameRig = shown?.project.rig === project.rig;
    const sameRoom = sameRig && shown?.project.layers.length === layers;
    shown = {
      project,
      stack: compileStack(project, shown?.stack),
      pose: sameRig ? shown!.pose : restPose(project.rig),
      matrices: sameRig ? shown!.matrices : new Float64Array(16 * n),
      attribution: sameRoom ? shown!.attribution : newAttribution(layers, n),
      frame,
    };
  }
  shown.frame = frame;
  evaluateStack(shown.stack, frame, shown.pose, shown.attribution);
  globalMatrices(project.rig, shown.pose, shown.matrices);
  for (const listener of listeners) listener();
}

seenStore.subscribe(update);
playhead.subscribe(update);

/** Whether the last frame of the range shows the pose of the first, up to what an eye could see. */
export function loopIsClosed(): boolean {
  if (!shown) return false;
  const { stack, project } = shown;
  const [a, b] = project.range.map((frame) => {
    const pose = restPose(project.rig);
    evaluateStack(stack, frame, pose);
    return pose;
  });
  for (let i = 0; i < a.rotations.length; i += 4) {
    if (angleBetween(a.rotations, i, b.rotations, i) > 1e-3) return false;
  }
  return a.translations.every((value, i) => Math.abs(value - b.translations[i]) < 1e-3);
}
