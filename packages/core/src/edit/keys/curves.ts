import { type Curve, isCurve, type Key, type Scalar, setKey } from '../../curve/curve.js';
import { scalarAt } from '../../curve/evaluate.js';
import { fewKeys } from '../../curve/few-keys.js';
import {
  type CurveAddress,
  curveAtAddress,
  isContent,
  type KeyPick,
  rangeOfAddress,
  scalarAtAddress,
  timeOfAddress,
} from '../../layer/address.js';
import {
  type Channel,
  channelsOf,
  takeOf,
  takesKeys,
  targetsOf,
  withChannels,
  withTargets,
} from '../../layer/content.js';
import { type Layer, PLACEMENT_CHANNELS, type Placement, type PlacementChannel } from '../../layer/layer.js';
import { ownerById, type Project } from '../../layer/project.js';
import { mapTarget, type Target, type TargetField, ZERO_PLACE, ZERO_TURN } from '../../layer/target.js';
import { ownFrame } from '../../layer/time.js';
import { emptyRecord } from '../../record.js';
import { partNames } from '../../rig/parts.js';
import { changeLayer } from '../change.js';
import { pivotOf } from '../scene/root.js';

/** One value for each number of a placement. */
export const mapPlacement = <T>(map: (channel: PlacementChannel) => T): Record<PlacementChannel, T> =>
  Object.fromEntries(PLACEMENT_CHANNELS.map((channel) => [channel, map(channel)])) as Record<
    PlacementChannel,
    T
  >;

/** What is written at an address. */
export type Written = readonly [address: CurveAddress, scalar: Scalar | undefined];

/** Writes what stands at many addresses, layer by layer, as {@link writeScalar} does at one. */
export function writeScalars(project: Project, entries: readonly Written[]): Project {
  const byLayer = new Map<string, Written[]>();
  for (const entry of entries) {
    const list = byLayer.get(entry[0].layer);
    if (list) list.push(entry);
    else byLayer.set(entry[0].layer, [entry]);
  }
  let current = project;
  for (const [id, list] of byLayer)
    current = changeLayer(current, id, (layer) => {
      const others = list.filter(([{ kind }]) => kind !== 'channel');
      const start = others.reduce((one, [address, scalar]) => written(current, one, address, scalar), layer);
      return writtenChannels(
        start,
        list.filter(([{ kind }]) => kind === 'channel'),
      );
    });
  return current;
}

/** A layer with other curves on some of its channels. */
function writtenChannels(layer: Layer, entries: readonly Written[]): Layer {
  if (entries.length === 0 || !takesKeys(layer)) return layer;
  const channels = emptyRecord<{ [C in Channel]?: Curve }>(channelsOf(layer));
  const own = new Set<string>();
  for (const [address, scalar] of entries) {
    if (address.kind !== 'channel') continue;
    const { joint, channel } = address;
    if (!own.has(joint)) channels[joint] = { ...channels[joint] };
    own.add(joint);
    if (scalar !== undefined && isCurve(scalar) && scalar.keys.length > 0) channels[joint][channel] = scalar;
    else delete channels[joint][channel];
    if (Object.keys(channels[joint]).length === 0) {
      delete channels[joint];
      own.delete(joint);
    }
  }
  return withChannels(layer, channels);
}

/** A target that has a field, of zeros where it had none. */
const withField = (target: Target, field: TargetField): Target =>
  target[field] || field === 'path'
    ? target
    : { ...target, [field]: field === 'turn' ? ZERO_TURN : ZERO_PLACE };

/** Writes what stands at an address. Undefined takes a channel out, and makes anything else what it is by itself. */
export function writeScalar(project: Project, address: CurveAddress, scalar: Scalar | undefined): Project {
  return changeLayer(project, address.layer, (layer) => written(project, layer, address, scalar));
}

function written(project: Project, layer: Layer, address: CurveAddress, scalar: Scalar | undefined): Layer {
  switch (address.kind) {
    case 'channel':
      return writtenChannels(layer, [[address, scalar]]);
    case 'target':
      return withTargets(
        layer,
        targetsOf(layer).map((target) =>
          target.id === address.target
            ? mapTarget(withField(target, address.field), (value, axis, field) =>
                field === address.field && axis === address.channel ? (scalar ?? 0) : value,
              )
            : target,
        ),
      );
    case 'weight':
      return { ...layer, weight: scalar ?? 1 };
    case 'part': {
      // Weighing a part of a layer without a mask makes one in which all other parts go on counting 1.
      const mask = layer.mask ?? Object.fromEntries(partNames(project.parts).map((part) => [part, 1]));
      return { ...layer, mask: { ...mask, [address.part]: scalar ?? 1 } };
    }
    case 'joint': {
      const { [address.joint]: _, ...others } = layer.joints ?? {};
      const joints = scalar === undefined ? others : { ...others, [address.joint]: scalar };
      return { ...layer, joints: Object.keys(joints).length > 0 ? joints : undefined };
    }
    case 'placement': {
      const before: Placement = layer.placement ?? {
        pivot: pivotOf(project, layer),
        ...mapPlacement(() => 0),
      };
      return { ...layer, placement: { ...before, [address.channel]: scalar ?? 0 } };
    }
  }
}

/** The frame by which keys of an address are counted, for a frame of the project. */
export function frameOfAddress(project: Project, address: CurveAddress, frame: number): number {
  const layer = ownerById(project, address.layer);
  return layer ? ownFrame(timeOf(project, layer, address), frame) : frame;
}

/** By which time the keys of an address are counted. */
export const timeOf = (project: Project, layer: Layer, address: CurveAddress) =>
  timeOfAddress(
    layer,
    address,
    project.takes.find(({ id }) => id === takeOf(layer)?.take),
    project.fps,
  );

/** The value at an address at a frame of the project, held within what counts; 0 where there is no such layer. */
export function valueAt(project: Project, address: CurveAddress, frame: number): number {
  const layer = ownerById(project, address.layer);
  const scalar = layer && scalarAtAddress(layer, address);
  if (!layer || scalar === undefined) return 0;
  return scalarAt(scalar, frameOfAddress(project, address, frame), ...rangeOfAddress(layer, address));
}

export const within = (value: number, [low, high]: readonly [number, number]): number =>
  Math.min(high, Math.max(low, value));

function change(
  project: Project,
  address: CurveAddress,
  to: (scalar: Scalar | undefined, range: readonly [number, number]) => Scalar | undefined,
): Project {
  const layer = ownerById(project, address.layer);
  if (!layer) return project;
  return writeScalar(project, address, to(scalarAtAddress(layer, address), rangeOfAddress(layer, address)));
}

/** Sets a value: everywhere where there are no keys, with a key at the frame of the project where there are. */
export function setValue(project: Project, address: CurveAddress, frame: number, value: number): Project {
  if (address.kind === 'channel') return keyValue(project, address, frame, value);
  const own = frameOfAddress(project, address, frame);
  return change(project, address, (scalar, range) =>
    scalar !== undefined && isCurve(scalar)
      ? setKey(scalar, own, within(value, range))
      : within(value, range),
  );
}

/** Keys the value that counts at a frame of the project, or the given one. */
export function keyValue(project: Project, address: CurveAddress, frame: number, value?: number): Project {
  const own = frameOfAddress(project, address, frame);
  const ease = isContent(address) ? ownerById(project, address.layer)?.ease : undefined;
  return change(project, address, (scalar, range) =>
    setKey(
      scalar !== undefined && isCurve(scalar) ? scalar : undefined,
      own,
      within(value ?? valueAt(project, address, frame), range),
      ease,
    ),
  );
}

/**
 * Scales what stands at an address so that it has the given value at a frame of the project; a whole curve is scaled,
 * its keys stay in time. `from` is what it is scaled from: in a drag what was there when the drag began, so that a
 * drag through 0 loses nothing.
 */
export function scaleValue(
  project: Project,
  address: CurveAddress,
  frame: number,
  value: number,
  from?: Scalar,
): Project {
  return change(project, address, (scalar, range) => {
    const start = from ?? scalar;
    if (start === undefined) return scalar;
    if (!isCurve(start)) return within(value, range);
    const before = scalarAt(start, frameOfAddress(project, address, frame), ...range);
    if (before === 0) return start;
    const factor = within(value, range) / before;
    return { keys: start.keys.map((key) => scaleKey(key, factor, range)) };
  });
}

function scaleKey(key: Key, factor: number, range: readonly [number, number]): Key {
  const handle = (offset: Key['in']) => offset && ([offset[0], offset[1] * factor] as const);
  return {
    ...key,
    value: within(key.value * factor, range),
    ...(key.in && { in: handle(key.in) }),
    ...(key.out && { out: handle(key.out) }),
  };
}

/** The key on a frame of an address, or the two beside it, or the nearest at either end; none where nothing is keyed. */
export function keysBeside(project: Project, address: CurveAddress, frame: number, reach = 0): KeyPick[] {
  const layer = ownerById(project, address.layer);
  const keys = (layer && curveAtAddress(layer, address))?.keys ?? [];
  const own = frameOfAddress(project, address, frame);
  const near = keys.filter((key) => Math.abs(key.frame - own) <= reach);
  const [on] = near.sort((a, b) => Math.abs(a.frame - own) - Math.abs(b.frame - own));
  const beside = on ? [on] : [keys.findLast((key) => key.frame < own), keys.find((key) => key.frame > own)];
  const ids = beside.flatMap((key) => (key ? [key.id] : []));
  return ids.length > 0 ? [{ address, keys: ids }] : [];
}

/** How far a drawn curve may pass from where it was drawn. */
const DRAWN = 0.02;

/** Draws a curve by hand: few keys, which replace those between the first and the last of the drawn frames. */
export function drawValue(
  project: Project,
  address: CurveAddress,
  points: readonly (readonly [number, number])[],
): Project {
  if (points.length === 0) return project;
  return change(project, address, (scalar, range) => {
    const drawn = [...points].sort((a, b) => a[0] - b[0]);
    const first = drawn[0][0];
    const last = drawn[drawn.length - 1][0];
    const old = scalar !== undefined && isCurve(scalar) ? scalar.keys : [];
    return {
      keys: [
        ...old.filter((key) => key.frame < first),
        ...fewKeys(
          drawn.map(([frame, value]) => [frame, within(value, range)] as const),
          DRAWN,
        ),
        ...old.filter((key) => key.frame > last),
      ],
    };
  });
}
