import {
  type Channel,
  type CurveAddress,
  channelsOf,
  entryOf,
  keyAt,
  type Layer,
  layerById,
} from '@evlay/core';
import { curveAt } from '@evlay/core/curve';
import {
  changesTo,
  deletePicked,
  frameOfAddress,
  mirroredChanges,
  nothingOf,
  type PoseValues,
} from '@evlay/core/edit';
import { memberIndex, memberName, memberNames } from '@evlay/core/rig';
import type { Editor } from '../../editor/editor.js';
import { command, type Refusal } from '../command.js';
import { litRefusal, setLitValues } from '../poses/pose.js';

/** Values for one channel of some joints or face channels on the lit layer, by index among the members of the rig. */
export interface ChannelChange {
  readonly channel: Channel;
  readonly values: ReadonlyMap<number, number>;
}

/** What the lit layer holds in a channel of a joint at the playhead, with a tried pose; undefined where it has no keys. */
export function channelHeld(
  { stage, session, playhead }: Editor,
  joint: number,
  channel: Channel,
): number | undefined {
  const { project } = stage.get();
  const layer = layerById(project, session.getState().lit);
  // A prop may be gone already when what shows its numbers hears of it.
  const name = memberNames(project.rig)[joint];
  const curve = layer && name !== undefined ? entryOf(channelsOf(layer), name)?.[channel] : undefined;
  if (!layer || !curve) return undefined;
  return curveAt(curve, frameOfAddress(project, addressOf(layer, name, channel), playhead.get()));
}

const addressOf = (layer: Layer, joint: string, channel: Channel): CurveAddress => ({
  kind: 'channel',
  layer: layer.id,
  joint,
  channel,
});

/** Why a channel of joints cannot be set on the lit layer. */
function refusal(editor: Editor, { channel, values }: ChannelChange): Refusal | undefined {
  const never = litRefusal(editor);
  if (never) return never;
  const project = editor.history.project();
  const layer = layerById(project, editor.session.getState().lit);
  const refused = [...values.keys()]
    .map((j) => memberName(project.rig, j))
    .find((name) => layer?.allows && !entryOf(layer.allows, name)?.includes(channel));
  return refused === undefined
    ? undefined
    : { reason: `${layer?.name} may not key ${channel} of ${refused}` };
}

/** Sets numbers of joints on the lit layer; the other side follows, mirrored, where that is switched on. */
export const setChannel = command<ChannelChange>({
  name: 'Set the number',
  refusal,
  run(editor, { channel, values }, change) {
    const { session, history, playhead } = editor;
    const project = history.project();
    const { symmetric, lit } = session.getState();
    const layer = layerById(project, lit);
    const wanted: Record<string, PoseValues[string]> = {};
    for (const [j, value] of values) wanted[memberName(project.rig, j)] = { [channel]: value };
    if (symmetric && layer) {
      const changes = mirroredChanges(project, layer, changesTo(project, lit, playhead.get(), wanted));
      for (const [name, by] of Object.entries(changes)) {
        if (name in wanted) continue;
        const joint = memberIndex(project.rig, name);
        const entries = Object.entries(by).filter(([, value]) => Math.abs(value ?? 0) > 1e-9);
        wanted[name] = Object.fromEntries(
          entries.map(([one, value]) => {
            const held = channelHeld(editor, joint, one as Channel);
            return [one, (held ?? nothingOf(one as Channel)) + (value ?? 0)];
          }),
        );
      }
    }
    setLitValues(editor, wanted, change);
  },
});

/** Whether a channel has a key on the lit layer at the playhead, has keys elsewhere, or none. */
export function keyedNow(editor: Editor, joint: number, channel: Channel): 'here' | 'elsewhere' | 'never' {
  const project = editor.history.project();
  const layer = layerById(project, editor.session.getState().lit);
  const name = memberNames(project.rig)[joint];
  const curve = layer && name !== undefined ? entryOf(channelsOf(layer), name)?.[channel] : undefined;
  if (!layer || !curve) return 'never';
  const own = frameOfAddress(project, addressOf(layer, name, channel), editor.playhead.get());
  return keyAt(curve, own) ? 'here' : 'elsewhere';
}

/** Keys a number as it is, or takes out the key that it has here. */
export const toggleChannelKey = command<{
  readonly joint: number;
  readonly channel: Channel;
  readonly value: number;
}>({
  name: 'Key the number, or take its key out',
  refusal: (editor, { joint, channel, value }) =>
    refusal(editor, { channel, values: new Map([[joint, value]]) }),
  run(editor, { joint, channel, value }, change) {
    const project = editor.history.project();
    const layer = layerById(project, editor.session.getState().lit)!;
    const name = memberName(project.rig, joint);
    if (keyedNow(editor, joint, channel) !== 'here') {
      setLitValues(editor, { [name]: { [channel]: value } }, change);
      return;
    }
    const address = addressOf(layer, name, channel);
    const curve = entryOf(channelsOf(layer), name)![channel]!;
    const key = keyAt(curve, frameOfAddress(project, address, editor.playhead.get()))!;
    change((now) => deletePicked(now, [{ address, keys: [key.id] }]));
  },
});
