import { type Pose, restPose } from '@evlay/core';
import { copyPose } from '@evlay/core/rig';
import { curled, curlOf, fingersOf } from '@evlay/core/solve';
import type { Editor } from '../../editor/editor.js';
import { litCharacter } from '../../editor/lit-character.js';
import { command } from '../command.js';
import { showPose } from './pose.js';

/** How far the fingers of hands are to be curled, in degrees at every joint, from the pose that is kept. */
export interface Curling {
  readonly sides: readonly ('left' | 'right')[];
  readonly degrees: number;
  readonly from?: Pose;
}

/** How far the fingers of hands are curled in the pose that is seen, in degrees: the mean of the hands. */
export function curlSeen(editor: Editor, sides: Curling['sides']): number {
  const { rig, poseOf } = litCharacter(editor);
  const pose = poseOf(editor.stage.get().pose);
  const curls = sides.map((side) => curlOf(rig, pose, fingersOf(rig, side)));
  return (curls.reduce((sum, curl) => sum + curl, 0) / Math.max(1, curls.length)) * (180 / Math.PI);
}

/** The pose that is seen, kept while it is changed. */
export function poseSeen({ stage }: Editor): Pose {
  const { project, pose } = stage.get();
  const kept = restPose(project.rig);
  copyPose(kept, pose);
  return kept;
}

function posingOf(editor: Editor, { sides, degrees, from }: Curling) {
  const { rig, poseOf, toScene } = litCharacter(editor);
  const pose = poseOf(from ?? editor.stage.get().pose);
  return toScene(
    new Map(
      sides.flatMap((side) => {
        const fingers = fingersOf(rig, side);
        return [...curled(pose, fingers, (degrees * Math.PI) / 180 - curlOf(rig, pose, fingers))];
      }),
    ),
  );
}

/** Curls all fingers of one hand or both together. */
export const curlFingers = command<Curling>({
  name: 'Curl the fingers',
  refusal: (editor, curling) => showPose.refusal?.(editor, posingOf(editor, curling)),
  run: (editor, curling, change) => showPose.run(editor, posingOf(editor, curling), change),
});
