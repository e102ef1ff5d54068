import { type Applied, type AppliedKind, stampOf, standingOf } from '../../layer/applied.js';
import { CHANNELS, type Channel, channelsOf, type JointChannels, withChannels } from '../../layer/content.js';
import type { Layer } from '../../layer/layer.js';
import { layerById, type Project } from '../../layer/project.js';
import { emptyRecord, entryOf } from '../../record.js';
import { changeLayer } from '../change.js';

/** The most that is remembered of one layer; of what is older plain keys are left. */
const LONGEST = 12;

/** What of a kind stands on a layer for these joints in this order. */
export const appliedTo = (layer: Layer, kind: AppliedKind, joints: readonly string[]): Applied | undefined =>
  standingOf(layer).findLast(
    (one) =>
      one.kind === kind &&
      one.joints.length === joints.length &&
      one.joints.every((name, k) => name === joints[k]),
  );

/** Takes away what was worked out on a layer: its channels have the curves of before. */
export const takeAway = (project: Project, id: string, applied: Applied): Project =>
  changeLayer(project, id, (layer) => {
    if (!standingOf(layer).includes(applied)) return layer;
    const channels = emptyRecord<JointChannels>(channelsOf(layer));
    for (const [joint, wrote] of Object.entries(applied.wrote)) {
      const own = { ...entryOf(channels, joint) };
      for (const channel of wrote) {
        const curve = entryOf(applied.before, joint)?.[channel];
        if (curve) own[channel] = curve;
        else delete own[channel];
      }
      if (Object.keys(own).length > 0) channels[joint] = own;
      else delete channels[joint];
    }
    return withRemembered(
      withChannels(layer, channels),
      layer.applied!.filter((one) => one !== applied),
    );
  });

/**
 * Works something out on a layer by `write`, in place of what of its kind stands there for the same joints, and remembers
 * it with its numbers.
 */
export function apply(
  project: Project,
  id: string,
  { kind, joints, numbers }: Pick<Applied, 'kind' | 'joints' | 'numbers'>,
  write: (project: Project) => Project,
): Project {
  const found = layerById(project, id);
  const earlier = found && appliedTo(found, kind, joints);
  const plain = earlier ? takeAway(project, id, earlier) : project;
  const before = layerById(plain, id);
  const written = write(plain);
  const after = layerById(written, id);
  if (!before || !after || after === before) return written;
  const wrote = emptyRecord<readonly Channel[]>();
  const kept = emptyRecord<JointChannels>();
  for (const joint of new Set([before, after].flatMap((layer) => Object.keys(channelsOf(layer))))) {
    const [old, now] = [before, after].map((layer) => entryOf(channelsOf(layer), joint) ?? {});
    const changed = CHANNELS.filter((channel) => old[channel] !== now[channel]);
    if (changed.length === 0) continue;
    wrote[joint] = changed;
    kept[joint] = Object.fromEntries(
      changed.flatMap((channel) => (old[channel] ? [[channel, old[channel]]] : [])),
    );
  }
  const stamp = stampOf(channelsOf(after), wrote);
  const remembered: Applied = { kind, joints, numbers, wrote, before: kept, stamp };
  return changeLayer(written, id, (layer) =>
    withRemembered(layer, [...(before.applied ?? []), remembered].slice(-LONGEST)),
  );
}

function withRemembered({ applied: _, ...layer }: Layer, applied: readonly Applied[]): Layer {
  return applied.length > 0 ? { ...layer, applied } : layer;
}
