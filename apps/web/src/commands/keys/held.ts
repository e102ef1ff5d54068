import { type Channel, layerById, layerIndex, type Pose, restPose } from '@evlay/core';
import { nothingOf } from '@evlay/core/edit';
import { applyLayers } from '@evlay/core/evaluate';
import { channelsOfPose } from '@evlay/core/solve';
import type { Editor } from '../../editor/editor.js';
import { channelHeld } from './channels.js';

interface Below {
  readonly stack: unknown;
  readonly frame: number;
  readonly lit: string;
  readonly pose: Pose;
}

/** The pose below the lit layer at the playhead, worked out once for each frame that is shown. */
const belowOf = new WeakMap<Editor, Below>();

export function poseBelow(editor: Editor): Pose {
  const shown = editor.stage.get();
  const { lit } = editor.session.getState();
  const known = belowOf.get(editor);
  if (known?.stack === shown.stack && known.frame === shown.frame && known.lit === lit) return known.pose;
  const pose = restPose(shown.project.rig);
  applyLayers(shown.stack, shown.frame, 0, layerIndex(shown.project, lit), pose);
  belowOf.set(editor, { stack: shown.stack, frame: shown.frame, lit, pose });
  return pose;
}

/**
 * The number of a channel of a joint or face channel in a pose; degrees for rotations. 0 of a prop that is not there any
 * more.
 */
export function channelIn(editor: Editor, pose: Pose, joint: number, channel: Channel): number {
  if (channel === 'm') return pose.faces[joint - editor.stage.get().project.rig.joints.length] ?? 0;
  if (3 * joint >= pose.scales.length) return 0;
  if (channel[0] === 's') return pose.scales[3 * joint + 'xyz'.indexOf(channel[1])];
  return channelsOfPose(editor.stage.get().stack, joint, pose)[channel as 'tx'];
}

/** What the lit layer holds: its own number or, where it has none, what leaves everything as it is. */
export function heldOf(editor: Editor, joint: number, channel: Channel): number {
  const held = channelHeld(editor, joint, channel);
  if (held !== undefined) return held;
  const { project } = editor.stage.get();
  return layerById(project, editor.session.getState().lit)?.mode === 'additive'
    ? nothingOf(channel)
    : channelIn(editor, poseBelow(editor), joint, channel);
}
