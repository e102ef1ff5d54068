import { type Curve, FRAME_TOLERANCE, type Key, mergedKeys } from '../../curve/curve.js';
import { newId } from '../../id.js';
import {
  addressKey,
  type CurveAddress,
  curveAtAddress,
  isContent,
  type KeyPick,
  rangeOfAddress,
} from '../../layer/address.js';
import { groupAsLayer } from '../../layer/group.js';
import { ownerById, type Project } from '../../layer/project.js';
import type { OwnTime } from '../../layer/time.js';
import { timeOf, type Written, within, writeScalars } from './curves.js';

/** The curves of picked keys as they are, by address, from which a drag counts. */
export type CurvesBefore = ReadonlyMap<string, Curve>;

export function curvesOf(project: Project, picks: readonly KeyPick[]): CurvesBefore {
  const curves = new Map<string, Curve>();
  for (const { address } of picks) {
    const layer = ownerById(project, address.layer);
    const curve = layer && curveAtAddress(layer, address);
    if (curve) curves.set(addressKey(address), curve);
  }
  return curves;
}

/** A curve of which keys are picked, as it was in `before`, and by which time its keys are counted. */
interface Picked {
  readonly address: CurveAddress;
  readonly curve: Curve;
  readonly isPicked: (key: Key) => boolean;
  readonly time: OwnTime;
  readonly range: readonly [number, number];
}

function pickedIn(project: Project, picks: readonly KeyPick[], before: CurvesBefore): Picked[] {
  const times = new Map<string, OwnTime>();
  const layers = new Map(
    [...project.layers, ...project.groups.map(groupAsLayer)].map((one) => [one.id, one]),
  );
  return picks.flatMap(({ address, keys: ids }) => {
    const layer = layers.get(address.layer);
    const curve = before.get(addressKey(address));
    if (!layer || !curve) return [];
    const clock = isContent(address) ? layer.id : '';
    const time = times.get(clock) ?? timeOf(project, layer, address);
    times.set(clock, time);
    const wanted = ids.length > 4 ? new Set(ids) : undefined;
    const isPicked = wanted ? (key: Key) => wanted.has(key.id) : (key: Key) => ids.includes(key.id);
    return { address, curve, isPicked, time, range: rangeOfAddress(layer, address) };
  });
}

/** Puts in place of the picked keys what `map` makes of them. A key that one lands on gives way. */
function mapPicked(
  project: Project,
  picks: readonly KeyPick[],
  before: CurvesBefore,
  map: (keys: readonly Key[], time: OwnTime) => readonly Key[],
): Project {
  return writeScalars(
    project,
    pickedIn(project, picks, before).map(({ address, curve, isPicked, time }): Written => {
      const keys = [...map(curve.keys.filter(isPicked), time)].sort((a, b) => a.frame - b.frame);
      const others = curve.keys.filter((key) => !isPicked(key));
      return [address, { keys: mergedKeys(others, keys) }];
    }),
  );
}

/**
 * Replaces each curve of which keys are picked by what `change` makes of it as it was in `before`. Values are held within
 * what counts.
 */
export function changePicked(
  project: Project,
  picks: readonly KeyPick[],
  before: CurvesBefore,
  change: (curve: Curve, isPicked: (key: Key) => boolean, address: CurveAddress) => Curve,
): Project {
  return writeScalars(
    project,
    pickedIn(project, picks, before).map(({ address, curve, isPicked, range }): Written => {
      const changed = change(curve, isPicked, address);
      const keys = changed.keys.map((key) => {
        const value = within(key.value, range);
        return value === key.value ? key : { ...key, value };
      });
      return [address, { keys }];
    }),
  );
}

/** How picked keys are moved: by frames of the project and by a value; with `copies` they leave copies where they were. */
export interface KeyShift {
  readonly by: number;
  readonly value?: number;
  readonly copies?: boolean;
  readonly before?: CurvesBefore;
}

/**
 * Moves picked keys. A key that one lands on gives way; of a drag, which counts from `before`, it comes back when the
 * key moves on.
 */
export function movePicked(
  project: Project,
  picks: readonly KeyPick[],
  { by, value = 0, copies = false, before = curvesOf(project, picks) }: KeyShift,
): Project {
  return writeScalars(
    project,
    pickedIn(project, picks, before).map(({ address, curve, isPicked, time, range }): Written => {
      // A key that moves later on the project's time moves earlier in a layer that plays backwards.
      const own = by * time.speed;
      const move = (key: Key): Key => ({
        ...key,
        frame: key.frame + own,
        value: value === 0 ? key.value : within(key.value + value, range),
      });
      const keys = curve.keys.map((key) => (isPicked(key) ? move(key) : key));
      if (!(copies && by !== 0) && inOrder(keys)) return [address, { keys }];
      const others = curve.keys.filter((key) => !isPicked(key));
      const left = copies ? curve.keys.filter(isPicked).map((key) => ({ ...key, id: newId() })) : [];
      const moved = keys.filter(isPicked);
      return [address, { keys: mergedKeys(mergedKeys(others, left), moved) }];
    }),
  );
}

/** Whether keys stand at rising frames, so that none has come onto or past another one. */
function inOrder(keys: readonly Key[]): boolean {
  for (let i = 1; i < keys.length; i++)
    if (!(keys[i].frame > keys[i - 1].frame + FRAME_TOLERANCE)) return false;
  return true;
}

/** First and last frame of the project on which picked keys stand; undefined where there are none. */
export function framesOfPicked(
  project: Project,
  picks: readonly KeyPick[],
  before: CurvesBefore = curvesOf(project, picks),
): readonly [number, number] | undefined {
  let [first, last] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
  for (const { curve, isPicked, time } of pickedIn(project, picks, before)) {
    if (time.speed === 0) continue;
    for (const key of curve.keys) {
      if (!isPicked(key)) continue;
      const frame = time.offset + key.frame / time.speed;
      first = Math.min(first, frame);
      last = Math.max(last, frame);
    }
  }
  return first <= last ? [first, last] : undefined;
}

const scaledHandle = (handle: Key['in'], factor: number): Key['in'] =>
  handle && [handle[0] * factor, handle[1]];

/**
 * Scales picked keys in time about a frame of the project, which stays. `factor` is above 0. Keys that come onto one
 * frame become one, the last of them.
 */
export function scalePicked(
  project: Project,
  picks: readonly KeyPick[],
  factor: number,
  about: number,
  before: CurvesBefore = curvesOf(project, picks),
): Project {
  return mapPicked(project, picks, before, (keys, time) => {
    const centre = (about - time.offset) * time.speed;
    return keys.map((key) => ({
      ...key,
      frame: centre + (key.frame - centre) * factor,
      ...(key.in && { in: scaledHandle(key.in, factor) }),
      ...(key.out && { out: scaledHandle(key.out, factor) }),
    }));
  });
}

/** Lets picked keys run backwards between their first and last frame: the curve between them is the same, mirrored. */
export function reversePicked(project: Project, picks: readonly KeyPick[]): Project {
  const before = curvesOf(project, picks);
  const ends = framesOfPicked(project, picks, before);
  if (!ends) return project;
  return mapPicked(project, picks, before, (keys, time) => {
    const sum = (ends[0] + ends[1] - 2 * time.offset) * time.speed;
    const backwards = keys.toReversed();
    return backwards.map((key, k) => {
      const { in: into, out, ...plain } = key;
      return {
        ...plain,
        frame: sum - key.frame,
        // An ease belongs to the way from a key to the next, which now starts at its other end.
        ease: (k + 1 < backwards.length ? backwards[k + 1] : backwards[0]).ease,
        ...(out && { in: scaledHandle(out, -1) }),
        ...(into && { out: scaledHandle(into, -1) }),
      };
    });
  });
}

/** Puts picked keys on whole frames of the project. */
export function snapPicked(project: Project, picks: readonly KeyPick[]): Project {
  return mapPicked(project, picks, curvesOf(project, picks), (keys, time) =>
    time.speed === 0
      ? keys
      : keys.map((key) => ({
          ...key,
          frame: (Math.round(time.offset + key.frame / time.speed) - time.offset) * time.speed,
        })),
  );
}

/** Deletes picked keys. The last one of anything but a channel leaves its value everywhere. */
export function deletePicked(project: Project, picks: readonly KeyPick[]): Project {
  return writeScalars(
    project,
    pickedIn(project, picks, curvesOf(project, picks)).map(({ address, curve, isPicked }): Written => {
      const others = curve.keys.filter((key) => !isPicked(key));
      if (others.length > 0) return [address, { keys: others }];
      return [address, address.kind === 'channel' ? undefined : curve.keys[0]?.value];
    }),
  );
}
