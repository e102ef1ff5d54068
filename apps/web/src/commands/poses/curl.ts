import { type Pose, restPose } from '@evlay/core';
import { copyPose } from '@evlay/core/rig';
import { curled, curlOf, fingersOf } from '@evlay/core/solve';
import type { Editor } from '../../editor/editor.js';
import { command } from '../command.js';
import { showPose } from './pose.js';

/** How far the fingers of a hand are to be curled, in degrees at every joint, from the pose that is kept. */
export interface Curling {
  readonly side: 'left' | 'right';
  readonly degrees: number;
  readonly from?: Pose;
}

/** How far the fingers of a hand are curled in the pose that is seen, in degrees. */
export function curlSeen({ stage, history }: Editor, side: 'left' | 'right'): number {
  const { rig } = history.project();
  return (curlOf(rig, stage.get().pose, fingersOf(rig, side)) * 180) / Math.PI;
}

/** The pose that is seen, kept while it is changed. */
export function poseSeen({ stage }: Editor): Pose {
  const { project, pose } = stage.get();
  const kept = restPose(project.rig);
  copyPose(kept, pose);
  return kept;
}

function posingOf(editor: Editor, { side, degrees, from }: Curling) {
  const { rig } = editor.history.project();
  const fingers = fingersOf(rig, side);
  const pose = from ?? editor.stage.get().pose;
  return curled(pose, fingers, (degrees * Math.PI) / 180 - curlOf(rig, pose, fingers));
}

/** Curls all fingers of a hand together. */
export const curlFingers = command<Curling>({
  name: 'Curl the fingers',
  refusal: (editor, curling) => showPose.refusal?.(editor, posingOf(editor, curling)),
  run: (editor, curling, change) => showPose.run(editor, posingOf(editor, curling), change),
});
