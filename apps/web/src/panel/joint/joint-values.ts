import { type Channel, layerById, layerIndex, type Pose, restPose } from '@evlay/core';
import { nothingOf } from '@evlay/core/edit';
import { applyLayers } from '@evlay/core/evaluate';
import { channelsOfPose } from '@evlay/core/solve';
import { channelHeld } from '../../commands/keys/channels.js';
import type { Editor } from '../../editor/editor.js';
import type { Units } from '../../ui/number-text.js';

/** How a channel is shown: its unit, and how much of the rig's own unit that is. */
export interface Shape {
  readonly unit: string;
  readonly factor: number;
  readonly step: number;
  readonly decimals: number;
  readonly units: Units;
}

/** How a channel is shown, lengths in centimetres. */
export function shapeOf(channel: Channel, metresPerUnit: number): Shape {
  if (channel[0] === 'r') return { unit: '°', factor: 1, step: 0.25, decimals: 1, units: { '°': 1, deg: 1 } };
  if (channel[0] === 's') return { unit: '×', factor: 1, step: 0.005, decimals: 3, units: { '%': 0.01 } };
  const factor = 0.01 / metresPerUnit;
  return { unit: 'cm', factor, step: 0.1, decimals: 1, units: { cm: 1, m: 100, mm: 0.1 } };
}

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

/** The number of a channel in a pose; degrees for rotations. 0 of a prop that is not there any more. */
export function channelIn(editor: Editor, pose: Pose, joint: number, channel: Channel): number {
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
