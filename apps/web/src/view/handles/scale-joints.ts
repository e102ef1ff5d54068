import { restPose } from '@evlay/core';
import { copyPose } from '@evlay/core/rig';
import { scaledBy } from '@evlay/core/solve';
import type { Posing } from '../../commands/poses/pose.js';
import type { Editor } from '../../editor/editor.js';

/** A drag of handles that scale: what is to be seen when they are so many times as long along each axis as at its start. */
export type ScaleJoints = (factors: readonly number[]) => Posing;

/** Begins to scale the picked joints from the pose that is seen now. */
export function beginScale(editor: Editor): ScaleJoints {
  const { stage, session } = editor;
  const { picked, keepVolume } = session.getState();
  const { project, pose } = stage.get();
  const before = restPose(project.rig);
  copyPose(before, pose);
  return (factors) => new Map(picked.map((j) => [j, { scale: scaledBy(before, j, factors, keepVolume) }]));
}
