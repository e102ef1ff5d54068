import { type Key, newKey } from '../curve/curve.js';
import type { Channel, JointChannels } from '../layer/content.js';
import { DEGREES } from '../math/euler.js';
import { emptyRecord } from '../record.js';
import { memberName } from '../rig/members.js';
import type { Rig } from '../rig/rig.js';
import type { MotionKeys } from './motion-keys.js';
import type { Spline } from './spline.js';
import type { TrackKind } from './tracks.js';

const AXES = ['x', 'y', 'z'] as const;
const LETTERS = { translations: 't', rotations: 'r', scales: 's' } as const;

/** Curves by joint or face channel, and channel, as a layer holds them. */
export type KeyedChannels = Record<string, JointChannels>;

/** The channels of a layer in which the numbers of a kind of track are keyed. */
export const channelsOfKind = (kind: TrackKind): readonly Channel[] =>
  kind === 'faces' ? ['m'] : AXES.map((axis): Channel => `${LETTERS[kind]}${axis}`);

/** Numbers that differ by less than this over a curve are one number. */
const STILL = 1e-9;

/**
 * The keys of a motion as curves of a layer, angles in degrees: sample `k` stands on frame `first + k · step`. Keys have the
 * handles of their cubics; a channel that never changes has one key. The keys have to be angles.
 */
export function layerChannels(rig: Rig, keys: MotionKeys, first: number, step: number): KeyedChannels {
  const channels = emptyRecord<KeyedChannels[string]>();
  for (const { member, kind, spline } of keys.tracks) {
    const scale = kind === 'rotations' ? DEGREES : 1;
    const name = memberName(rig, member);
    channels[name] = {
      ...channels[name],
      ...Object.fromEntries(
        channelsOfKind(kind).map((channel, c) => [channel, { keys: keysOf(spline, c, scale, first, step) }]),
      ),
    };
  }
  return channels;
}

/** Ten digits say all, and keep files short. */
const rounded = (value: number): number => Number(value.toPrecision(10));

function keysOf(
  { size, knots, values, into, out }: Spline,
  c: number,
  scale: number,
  first: number,
  step: number,
): Key[] {
  const value = (k: number) => rounded(values[k * size + c] * scale);
  const frame = (k: number) => first + knots[k] * step;
  const slope = (slopes: Float64Array, k: number) => (slopes[k * size + c] * scale) / step;
  const still = () => {
    for (let k = 0; k < knots.length; k++) {
      if (Math.abs(value(k) - value(0)) > STILL * scale) return false;
      for (const slopes of [into, out]) if (Math.abs(slope(slopes, k)) > STILL * scale) return false;
    }
    return true;
  };
  if (knots.length === 1 || still()) return [newKey(frame(0), value(0))];
  return [...knots.keys()].map((k): Key => {
    const before = k > 0 ? (frame(k) - frame(k - 1)) / 3 : 0;
    const after = k + 1 < knots.length ? (frame(k + 1) - frame(k)) / 3 : 0;
    return {
      ...newKey(frame(k), value(k), k + 1 < knots.length ? 'bezier' : 'smooth'),
      ...(before > 0 && { in: [-before, rounded(-slope(into, k) * before)] as const }),
      ...(after > 0 && { out: [after, rounded(slope(out, k) * after)] as const }),
    };
  });
}
