import { type Curve, type Ease, type Key, newKey } from '../../curve/curve.js';
import type { KeyedChannels } from '../../keys/layer-keys.js';
import {
  DEGREES,
  type EulerOrder,
  eulerToQuaternion,
  quaternionToEuler,
  unwindEuler,
} from '../../math/euler.js';
import { decomposeMatrix, type Matrix } from '../../math/matrix.js';
import { angleBetween, multiply, normalize } from '../../math/quaternion.js';
import { emptyRecord } from '../../record.js';
import { accessorReader } from './accessor.js';
import { type GltfSkeleton, readSkeleton } from './rig.js';
import { type Sampler, sampleAt } from './sampler.js';
import { channelsOf, faceCurvesOf, findClip, isMadeTake, type NodeChannel } from './take.js';

/** The keys of an animation, at their own times. */
export interface KeyedClip {
  /** Frames a second at which keys stand on whole frames, where there are such. */
  readonly fps: number;
  readonly channels: KeyedChannels;
  /** Frame of the last key. */
  readonly last: number;
}

/** Keys a second and property from which on an animation is a recording, and not keyed. */
const RECORDED = 12;
/** Rates that are tried, the most usual first. */
const RATES = [30, 24, 25, 60, 120];
/** Frames by which a key may miss a whole one. */
const ON = 0.01;
/** Degrees by which a rotation between two keys may be another in angles; where it would be, a key comes between. */
const OFF = 0.05;
/** Looks between two keys. */
const LOOKS = 24;
/** Keys that may come between two. */
const DEEPEST = 6;

/**
 * The keys of an animation of a binary glTF file that has few: steps as holds, lines as lines, cubic splines as Bezier
 * curves; rotations become angles in the joint's order, and get keys in between only where no cubic follows them. Undefined
 * for a recording, and where keys would not be what is seen: nodes above the skeleton that move, an object in pieces.
 */
export function readGlbKeys(bytes: Uint8Array, clip: string | undefined): KeyedClip | undefined {
  if (isMadeTake(bytes)) return undefined;
  const skeleton = readSkeleton(bytes);
  const { gltf, bin, nodes, ancestors, rig } = skeleton;
  const accessors = accessorReader(gltf, bin);
  const moved = channelsOf(skeleton, accessors, findClip(gltf, clip));
  const faces = faceCurvesOf(skeleton, accessors, findClip(gltf, clip));
  const above = new Set(ancestors);
  if (nodes.some((own) => own.length > 1) || moved.some(({ node }) => above.has(node))) return undefined;
  const timed = [...moved.map(({ sampler }) => sampler), ...faces];
  const times = timed.flatMap((one) => [...one.times]);
  const last = times.reduce((latest, time) => Math.max(latest, time), 0);
  const keys = timed.reduce((sum, one) => sum + one.times.length - 1, 0);
  if (!(last > 0) || keys > RECORDED * last * timed.length) return undefined;
  const whole = (fps: number) => times.every((time) => Math.abs(time * fps - Math.round(time * fps)) < ON);
  const fps = RATES.find(whole) ?? RATES[0];
  const jointOf = new Map(nodes.map(([node], joint) => [node, joint]));
  const channels = emptyRecord<KeyedChannels[string]>();
  for (const channel of moved) {
    const joint = jointOf.get(channel.node)!;
    const { name, order } = rig.joints[joint];
    channels[name] = { ...channels[name], ...curvesOf(inScene(skeleton, channel, joint), order, fps) };
  }
  for (const { channel, interpolation, times: at, values } of faces)
    channels[channel] = { m: { keys: numberKeys({ interpolation, times: at, values, size: 1 }, 0, fps) } };
  return { fps, channels, last: last * fps };
}

/** The keys of a property as they are in the scene: what stands above the root counts for the root. */
function inScene(
  { above, rig }: GltfSkeleton,
  { path, sampler }: NodeChannel,
  joint: number,
): NodeChannel & { node: number } {
  const plain = { node: joint, path, sampler };
  if (rig.joints[joint].parent >= 0) return plain;
  const { size } = sampler;
  const cubic = sampler.interpolation === 'CUBICSPLINE';
  const values = sampler.values.slice();
  const { rotation, scale } = decomposeMatrix(above)!;
  for (let o = 0, k = 0; o < values.length; o += size, k++) {
    const slope = cubic && k % 3 !== 1;
    if (path === 'rotation') multiply(values, o, [...rotation], 0, values, o);
    else if (path === 'scale') for (let c = 0; c < 3; c++) values[o + c] *= scale[c];
    else moveInto(above, values, o, slope);
  }
  return { ...plain, sampler: { ...sampler, values } };
}

function moveInto(m: Matrix, values: Float64Array, o: number, slope: boolean): void {
  const [x, y, z] = values.subarray(o, o + 3);
  for (let row = 0; row < 3; row++)
    values[o + row] = m[row] * x + m[4 + row] * y + m[8 + row] * z + (slope ? 0 : m[12 + row]);
}

const EASES: Record<Sampler['interpolation'], Ease> = {
  STEP: 'hold',
  LINEAR: 'linear',
  CUBICSPLINE: 'bezier',
};

function curvesOf({ path, sampler }: NodeChannel, order: EulerOrder, fps: number): Record<string, Curve> {
  const letter = path === 'rotation' ? 'r' : path === 'translation' ? 't' : 's';
  const keys = path === 'rotation' ? turnKeys(sampler, order, fps) : plainKeys(sampler, fps);
  return Object.fromEntries(
    ['x', 'y', 'z'].map((axis, c) => [`${letter}${axis}`, { keys: keys.map((key) => key[c]) }]),
  );
}

/** Keys of a place or a scale, three at a time. */
function plainKeys(sampler: Sampler, fps: number): Key[][] {
  const axes = [0, 1, 2].map((c) => numberKeys(sampler, c, fps));
  return [...sampler.times.keys()].map((k) => axes.map((keys) => keys[k]));
}

/** The keys of number `c` of a property. */
function numberKeys({ size, interpolation, times, values }: Sampler<number>, c: number, fps: number): Key[] {
  const cubic = interpolation === 'CUBICSPLINE';
  return [...times].map((time, k): Key => {
    const at = (part: number) => values[size * (cubic ? 3 * k + part : k) + c];
    const key = newKey(time * fps, cubic ? at(1) : at(0), EASES[interpolation]);
    if (!cubic) return key;
    const before = k > 0 ? (time - times[k - 1]) / 3 : 0;
    const after = k + 1 < times.length ? (times[k + 1] - time) / 3 : 0;
    return {
      ...key,
      ...(before > 0 && { in: [-before * fps, -before * at(0)] as const }),
      ...(after > 0 && { out: [after * fps, after * at(2)] as const }),
    };
  });
}

/** A rotation at a time in seconds: angles in radians that run on from those before. */
interface Turn {
  readonly time: number;
  readonly angles: readonly number[];
  readonly into?: readonly number[];
  readonly out?: readonly number[];
}

/** Keys of a rotation in degrees: at its own times, and between two where angles do not follow it otherwise. */
function turnKeys(sampler: Sampler, order: EulerOrder, fps: number): Key[][] {
  const { times, interpolation } = sampler;
  const held = interpolation === 'STEP';
  const read = reader(sampler, order);
  const turns: Turn[] = [{ time: times[0], angles: read(times[0], [0, 0, 0]).angles }];
  for (let k = 1; k < times.length; k++) {
    if (held) turns.push({ time: times[k], angles: read(times[k], turns[k - 1].angles).angles });
    else addSegment(turns, times[k], read, order, 0);
  }
  return turns.map(({ time, angles, into, out }, i) =>
    [0, 1, 2].map((c): Key => {
      const key = newKey(time * fps, angles[c] * DEGREES, held || i + 1 === turns.length ? 'hold' : 'bezier');
      const before = into && i > 0 ? (time - turns[i - 1].time) / 3 : 0;
      const after = out ? (turns[i + 1].time - time) / 3 : 0;
      return {
        ...key,
        ...(before > 0 && { in: [-before * fps, -before * into![c] * DEGREES] as const }),
        ...(after > 0 && { out: [after * fps, after * out![c] * DEGREES] as const }),
      };
    }),
  );
}

type ReadTurn = (time: number, near: readonly number[]) => { angles: number[]; q: Float64Array };

function reader(sampler: Sampler, order: EulerOrder): ReadTurn {
  return (time, near) => {
    const q = new Float64Array(4);
    sampleAt(sampler, time, 1e-9, { key: 0 }, q, 0);
    normalize(q, 0);
    const angles = [0, 0, 0];
    quaternionToEuler(angles, 0, order, q, 0);
    unwindEuler(angles, 0, order, [...near], 0);
    return { angles, q };
  };
}

/** Adds the turn at the end of a segment from the last one, with slopes that fit what is between; halves where none do. */
function addSegment(turns: Turn[], end: number, read: ReadTurn, order: EulerOrder, depth: number): void {
  const start = turns[turns.length - 1];
  const h = end - start.time;
  const looks: { u: number; angles: number[]; q: Float64Array }[] = [];
  let near = start.angles;
  for (let i = 1; i <= LOOKS; i++) {
    const look = read(start.time + (h * i) / LOOKS, near);
    looks.push({ u: i / LOOKS, ...look });
    near = look.angles;
  }
  const last = looks.pop()!;
  const [out, into] = slopesOf(start.angles, last.angles, looks, h);
  const off = Math.max(
    ...looks.map(({ u, q }) => {
      const angles = [0, 1, 2].map(
        (c) =>
          start.angles[c] +
          (last.angles[c] - start.angles[c]) * u * u * (3 - 2 * u) +
          h * (out[c] * u * (1 - u) ** 2 - into[c] * u * u * (1 - u)),
      );
      const made = [0, 0, 0, 1];
      eulerToQuaternion(made, 0, order, angles, 0);
      return angleBetween(made, 0, [...q], 0) * DEGREES;
    }),
  );
  if (off > OFF && depth < DEEPEST) {
    addSegment(turns, start.time + h / 2, read, order, depth + 1);
    addSegment(turns, end, read, order, depth + 1);
    return;
  }
  turns[turns.length - 1] = { ...start, out };
  turns.push({ time: end, angles: last.angles, into });
}

/** The slopes a second at both ends of a cubic that fit looks between them best, by least squares. */
function slopesOf(
  a: readonly number[],
  b: readonly number[],
  looks: readonly { readonly u: number; readonly angles: readonly number[] }[],
  h: number,
): [number[], number[]] {
  let [aa, ab, bb] = [0, 0, 0];
  const right = [a.map(() => 0), a.map(() => 0)];
  for (const { u, angles } of looks) {
    const m0 = u * (1 - u) ** 2;
    const m1 = -u * u * (1 - u);
    aa += m0 * m0;
    ab += m0 * m1;
    bb += m1 * m1;
    for (const [c, angle] of angles.entries()) {
      const rest = angle - a[c] - (b[c] - a[c]) * u * u * (3 - 2 * u);
      right[0][c] += m0 * rest;
      right[1][c] += m1 * rest;
    }
  }
  const det = (aa * bb - ab * ab) * h;
  return [
    right[0].map((value, c) => (bb * value - ab * right[1][c]) / det),
    right[1].map((value, c) => (aa * value - ab * right[0][c]) / det),
  ];
}
