import { type Curve, FRAME_TOLERANCE, moveKeys, newKey, setKey } from '../curve/curve.js';
import type { ChannelValues } from '../evaluate/solve.js';
import { CHANNELS, type Channel, type JointChannels, type Layer, layerCurves } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { ownFrame, ownTime } from '../layer/time.js';
import { changeLayer } from './change.js';

/** Values for channels, by joint name. */
export type PoseValues = Readonly<Record<string, ChannelValues>>;

/** A pose that is tried on a layer and not keyed. */
export interface Trial {
  readonly layer: string;
  readonly values: PoseValues;
}

/** Replaces every curve of a layer's content; a curve that comes back without keys is taken out. */
export function mapCurves(
  layer: Layer,
  map: (curve: Curve, joint: string, channel: Channel) => Curve,
): Layer {
  const channels: Record<string, JointChannels> = {};
  for (const { joint, channel, curve } of layerCurves(layer)) {
    const mapped = map(curve, joint, channel);
    if (mapped.keys.length > 0) channels[joint] = { ...channels[joint], [channel]: mapped };
  }
  return { ...layer, channels };
}

function withValues(
  layer: Layer,
  values: PoseValues,
  set: (curve: Curve | undefined, value: number) => Curve,
): Layer {
  const channels: Record<string, JointChannels> = { ...layer.channels };
  for (const [joint, wanted] of Object.entries(values)) {
    for (const channel of CHANNELS) {
      const value = wanted[channel];
      if (value !== undefined)
        channels[joint] = { ...channels[joint], [channel]: set(channels[joint]?.[channel], value) };
    }
  }
  return { ...layer, channels };
}

/** Keys values at a project frame, which is turned into the layer's own. A layer with a take, or a locked one, takes no keys and stays as it was. */
export function keyPose(project: Project, id: string, frame: number, values: PoseValues): Project {
  return changeLayer(project, id, (layer) =>
    layer.take || layer.locked || Object.keys(values).length === 0
      ? layer
      : keyOwn(layer, ownFrame(ownTime(layer, undefined, project.fps), frame), values),
  );
}

const keyOwn = (layer: Layer, own: number, values: PoseValues): Layer =>
  withValues(layer, values, (curve, value) => setKey(curve, own, value));

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

const isOn = (frames: readonly number[]) => (key: { readonly frame: number }) =>
  frames.some((frame) => Math.abs(frame - key.frame) <= FRAME_TOLERANCE);

/** Moves all keys of a layer's content that stand on the given own frames, by own frames. */
export function moveLayerKeys(project: Project, id: string, frames: readonly number[], by: number): Project {
  if (by === 0) return project;
  return changeLayer(project, id, (layer) =>
    layer.locked ? layer : mapCurves(layer, (curve) => moveKeys(curve, isOn(frames), by)),
  );
}

/** Deletes all keys of a layer's content that stand on the given own frames. */
export function deleteLayerKeys(project: Project, id: string, frames: readonly number[]): Project {
  const gone = isOn(frames);
  return changeLayer(project, id, (layer) =>
    layer.locked ? layer : mapCurves(layer, (curve) => ({ keys: curve.keys.filter((key) => !gone(key)) })),
  );
}
