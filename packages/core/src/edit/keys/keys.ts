import { type Curve, FRAME_TOLERANCE, isCurve, keyAt, newKey, setKey } from '../../curve/curve.js';
import {
  CHANNELS,
  type Channel,
  channelsOf,
  type JointChannels,
  keyed,
  takesKeys,
  targetsOf,
  withChannels,
} from '../../layer/content.js';
import { type Layer, layerCurves } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import { mapTarget, type TargetAxis } from '../../layer/target.js';
import { type OwnTime, ownFrame, ownTime, roundsAt, travelsOn } from '../../layer/time.js';
import { emptyRecord } from '../../record.js';
import type { ChannelValues } from '../../solve/solve.js';
import { changeLayer } from '../change.js';

/** Values for channels, by joint name. */
export type PoseValues = Readonly<Record<string, ChannelValues>>;

/** A pose that is tried on a layer and not keyed. */
export interface Trial {
  readonly layer: string;
  readonly values: PoseValues;
}

/**
 * Replaces every curve of a layer's content; a curve that comes back without keys is taken out. Of a target it is then the
 * number of its first key.
 */
export function mapCurves(
  layer: Layer,
  map: (curve: Curve, joint: string, channel: Channel | TargetAxis, ofTarget: boolean) => Curve,
): Layer {
  if (layer.content.kind !== 'curves') return layer;
  const channels = emptyRecord<JointChannels>();
  for (const { joint, channel, curve } of layerCurves(layer)) {
    const mapped = map(curve, joint, channel, false);
    if (mapped.keys.length > 0) channels[joint] = { ...channels[joint], [channel]: mapped };
  }
  const targets = targetsOf(layer).map((target) =>
    mapTarget(target, (scalar, axis) => {
      if (!isCurve(scalar)) return scalar;
      const mapped = map(scalar, target.joint, axis, true);
      return mapped.keys.length > 0 ? mapped : scalar.keys[0].value;
    }),
  );
  return { ...layer, content: keyed(channels, targets) };
}

function withValues(
  layer: Layer,
  values: PoseValues,
  set: (curve: Curve | undefined, value: number, joint: string, channel: Channel) => Curve,
): Layer {
  const channels = emptyRecord<JointChannels>(channelsOf(layer));
  for (const [joint, wanted] of Object.entries(values)) {
    for (const channel of CHANNELS) {
      const value = wanted[channel];
      if (value !== undefined)
        channels[joint] = {
          ...channels[joint],
          [channel]: set(channels[joint]?.[channel], value, joint, channel),
        };
    }
  }
  return withChannels(layer, channels);
}

/**
 * Keys values at a project frame, which is turned into the layer's own: after it the layer holds them at that frame.
 * A layer that plays a take takes no keys and stays as it was.
 */
export function keyPose(project: Project, id: string, frame: number, values: PoseValues): Project {
  return changeLayer(project, id, (layer) => {
    if (!takesKeys(layer)) return layer;
    const time = ownTime(layer, undefined, project.fps);
    const own = ownFrame(time, frame);
    const rounds = time.loop === 'travel' ? roundsAt(time, frame) : 0;
    return withValues(layer, values, (curve, value, joint, channel) =>
      rounds !== 0 && curve && travelsOn(project.rig, joint, channel)
        ? keyTravelling(curve, time, own, rounds, value)
        : setKey(curve, own, value, layer.ease),
    );
  });
}

/**
 * Keys a curve of the root or a prop in a loop that travels, so that it holds `value` when its cycle has come round `rounds`
 * times. What it gains over a round is the difference of its keys at both ends of the cycle. At the seam the key at the
 * end is set, since the one at the start counts less the more often it has come round, and after one round not at all.
 */
function keyTravelling(curve: Curve, time: OwnTime, own: number, rounds: number, value: number): Curve {
  const end = time.start + time.length;
  const [first, last] = [keyAt(curve, time.start), keyAt(curve, end)];
  const onSeam = Math.abs(own - time.start) <= FRAME_TOLERANCE;
  if (onSeam && last) return setKey(curve, end, first ? first.value + (value - first.value) / rounds : value);
  return setKey(curve, own, first && last ? value - rounds * (last.value - first.value) : value);
}

/** The project as it looks while a pose is tried: the tried channels hold their values at every frame. */
export function withTrial(project: Project, trial: Trial | undefined): Project {
  if (!trial) return project;
  return changeLayer(project, trial.layer, (layer) => {
    // The cycle of a loop stays what it was, so that the tried keys do not change it.
    const { start, length } = ownTime(layer, undefined, project.fps);
    const held = withValues(layer, trial.values, (_, value) => ({ keys: [newKey(start, value)] }));
    return layer.time && length > 0
      ? { ...held, time: { ...layer.time, cycle: [start, start + length] } }
      : held;
  });
}
