import {
  type CompiledStack,
  compileStack,
  evaluateStack,
  type Pose,
  type Project,
  restPose,
} from '@evlay/core';
import { type Attribution, newAttribution } from '@evlay/core/evaluate';
import { angleBetween } from '@evlay/core/math';
import { globalMatrices } from '@evlay/core/rig';
import type { Signal } from '../ui/signal.js';
import type { Seen } from './seen.js';

/** Everything that is shown of one frame. The buffers are written anew for every frame. */
export interface Shown {
  readonly project: Project;
  readonly stack: CompiledStack;
  readonly pose: Pose;
  readonly matrices: Float64Array;
  readonly attribution: Attribution;
  frame: number;
}

/** The project as it is seen, evaluated at the playhead. */
export interface Stage {
  readonly get: () => Shown;
  readonly subscribe: (listener: () => void) => () => void;
  readonly stop: () => void;
  /** The stacks that were compiled for this editor: several stages of it that show one project compile it once. */
  readonly stacks: Stacks;
}

export type Stacks = WeakMap<Project, CompiledStack>;

function staged(project: Project, frame: number, stacks: Stacks, before?: Shown): Shown {
  const n = project.rig.joints.length;
  const layers = project.layers.length;
  const sameRig = before?.project.rig === project.rig;
  const sameRoom = sameRig && before?.project.layers.length === layers;
  const stack = stacks.get(project) ?? compileStack(project, before?.stack);
  stacks.set(project, stack);
  return {
    project,
    stack,
    pose: sameRig ? before.pose : restPose(project.rig),
    matrices: sameRig ? before.matrices : new Float64Array(16 * n),
    attribution: sameRoom ? before.attribution : newAttribution(layers, project.rig),
    frame,
  };
}

export function createStage(seen: Seen, playhead: Signal, stacks: Stacks = new WeakMap()): Stage {
  const listeners = new Set<() => void>();
  let shown = staged(seen.getState().project, playhead.get(), stacks);
  const evaluate = () => {
    shown.frame = playhead.get();
    evaluateStack(shown.stack, shown.frame, shown.pose, shown.attribution);
    globalMatrices(shown.project.rig, shown.pose, shown.matrices);
  };
  const update = () => {
    const { project } = seen.getState();
    if (shown.project !== project) shown = staged(project, playhead.get(), stacks, shown);
    evaluate();
    for (const listener of listeners) listener();
  };
  evaluate();
  const stops = [seen.subscribe(update), playhead.subscribe(update)];
  return {
    get: () => shown,
    subscribe(listener) {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    stop: () => stops.forEach((stop) => void stop()),
    stacks,
  };
}

/** Whether the last frame of the range shows the pose of the first, up to what an eye could see. */
export function loopIsClosed({ stack, project }: Shown): boolean {
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
