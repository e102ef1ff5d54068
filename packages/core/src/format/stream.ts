import { z } from 'zod';
import { EULER_ORDERS } from '../math/euler.js';
import { normalize, slerp } from '../math/quaternion.js';
import { restPose } from '../rig/pose.js';
import type { Joint, Quaternion, Rig } from '../rig/rig.js';
import { rootOf } from '../rig/topology.js';
import { type Doubt, runsIn } from '../take/doubts.js';
import type { Motion } from '../take/reshape.js';
import { readSample } from '../take/sample.js';
import { emptyTrack, type Take } from '../take/take.js';
import { FileError } from './error.js';
import { LIMITS } from './limits.js';
import { listOf, readBy } from './schema.js';

/**
 * A performance as it is captured, as lines of JSON, one message a line: a head with the skeleton, then a line for each sample, and a
 * line that ends it.
 *
 * `{"format":"evlay-stream","version":1,"name":"walk","fps":120,"joints":[{"name":"Hips","parent":-1,"at":[0,1,0]}, …]}`
 * `{"s":0,"t":[0,1,0],"q":[0,0,0,1, …],"weak":["LeftHand"]}`: sample 0, where the root is, a rotation for each joint (x y z w), joints that were seen badly
 * `{"end":true}`
 */

const number = z.number({ error: 'expected a finite number' }).min(-LIMITS.magnitude).max(LIMITS.magnitude);
const name = z.string().min(1).max(LIMITS.name);
const three = z.tuple([number, number, number], { error: 'expected three numbers' });
const joint = z.object({
  name,
  parent: z.int(),
  at: three,
  turn: z.tuple([number, number, number, number]).optional(),
  order: z.enum(EULER_ORDERS).optional(),
  ends: listOf(three).optional(),
});
const headSchema = z.object({
  format: z.literal('evlay-stream', { error: 'expected "evlay-stream"' }),
  version: z.literal(1, { error: 'expected version 1' }),
  name,
  fps: number.min(1 / LIMITS.rate).max(LIMITS.rate),
  joints: listOf(joint)
    .refine((joints) => joints.length > 0, { error: 'expected at least one joint' })
    .refine((joints) => joints.length <= LIMITS.joints, { error: `expected up to ${LIMITS.joints} joints` }),
});
const sampleSchema = z.object({
  s: z.int().nonnegative().max(LIMITS.samples),
  t: three,
  q: z.array(number),
  weak: listOf(name).optional(),
});

export interface StreamHead {
  readonly name: string;
  readonly fps: number;
  readonly rig: Rig;
}

/** A sample of a stream: its number, where the root is, rotations of all joints, joints that were seen badly. */
export interface StreamSample {
  readonly s: number;
  readonly root: readonly [number, number, number];
  readonly rotations: readonly number[];
  readonly weak: readonly string[];
}

export type StreamLine =
  | { readonly kind: 'head'; readonly head: StreamHead }
  | { readonly kind: 'sample'; readonly sample: StreamSample }
  | { readonly kind: 'end' };

/** The line that begins the stream of a take. */
export const streamHead = ({ name: own, interval, rig }: Pick<Take, 'name' | 'interval' | 'rig'>): string =>
  JSON.stringify({
    format: 'evlay-stream',
    version: 1,
    name: own,
    fps: 1 / interval,
    joints: rig.joints.map(({ name: joint, parent, translation, rotation, order, ends }) => ({
      name: joint,
      parent,
      at: translation,
      turn: rotation,
      order,
      ...(ends.length > 0 && { ends }),
    })),
  });

/** The line of a sample of a motion. */
export function streamSample(motion: Motion, s: number, weak: readonly string[] = []): string {
  const pose = restPose(motion.rig);
  readSample(motion, s, pose);
  const root = 3 * rootOf(motion.rig);
  const fine = (value: number) => Math.round(value * 1e6) / 1e6;
  return JSON.stringify({
    s,
    t: [...pose.translations.subarray(root, root + 3)].map(fine),
    q: [...pose.rotations].map(fine),
    ...(weak.length > 0 && { weak }),
  });
}

export const STREAM_END = '{"end":true}';

/** Reads a line of a stream; `head` is that of the stream, once it has come. Throws {@link FileError}. */
export function readStreamLine(text: string, head: StreamHead | undefined): StreamLine {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch {
    throw new FileError('the stream', 'a line is no JSON, expected an object a line');
  }
  if (typeof json === 'object' && json !== null && 'end' in json) return { kind: 'end' };
  if (!head) return { kind: 'head', head: headIn(readBy(headSchema, json, 'the head of the stream')) };
  const { s, t, q, weak = [] } = readBy(sampleSchema, json, 'a sample');
  if (q.length !== 4 * head.rig.joints.length)
    throw new FileError(
      `sample ${s}`,
      `${q.length} numbers of rotations, expected ${4 * head.rig.joints.length}`,
    );
  const rotations = [...q];
  for (let o = 0; o < rotations.length; o += 4) {
    if (!(Math.hypot(...rotations.slice(o, o + 4)) > 0.5))
      throw new FileError(`sample ${s}`, 'a rotation is no unit quaternion');
    normalize(rotations, o);
  }
  return { kind: 'sample', sample: { s, root: t, rotations, weak } };
}

function headIn({ name: own, fps, joints }: z.infer<typeof headSchema>): StreamHead {
  return {
    name: own,
    fps,
    rig: {
      joints: joints.map(({ name: called, parent, at, turn, order, ends }, j): Joint => {
        if (parent >= j || parent < -1 || (parent === -1) !== (j === 0))
          throw new FileError(
            `joints[${j}].parent`,
            'expected parents before children, and one joint without a parent, the first',
          );
        if (joints.findIndex((one) => one.name === called) !== j)
          throw new FileError(`joints[${j}].name`, 'two joints have one name');
        const rotation = [...(turn ?? [0, 0, 0, 1])];
        normalize(rotation, 0);
        return {
          name: called,
          parent,
          translation: at,
          rotation: rotation as unknown as Quaternion,
          scale: [1, 1, 1],
          order: order ?? 'XYZ',
          ends: ends ?? [],
          channels: [],
        };
      }),
    },
  };
}

/** What was recorded of a stream: samples at even times, those that were lost filled in, with what is doubtful. */
export interface Recording {
  readonly motion: Motion;
  readonly doubts: readonly Doubt[];
}

/** One sample as a motion, to be shown at once. */
export const motionOfSample = (head: StreamHead, sample: StreamSample): Motion => motionOf(head, [sample]);

/**
 * Puts samples of a stream together, whatever their order: the first is at time 0, those that are lost lie between their neighbours, of two
 * with one number the last counts. Undefined where there are none.
 */
export function recordingOf(head: StreamHead, samples: readonly StreamSample[]): Recording | undefined {
  const byNumber = new Map(samples.map((sample) => [sample.s, sample]));
  const there = [...byNumber.keys()].sort((a, b) => a - b);
  if (there.length === 0) return undefined;
  const [first, last] = [there[0], there[there.length - 1]];
  const lost: number[] = [];
  const whole: StreamSample[] = [];
  let before = byNumber.get(first)!;
  let k = 0;
  for (let s = first; s <= last; s++) {
    const own = byNumber.get(s);
    if (own) {
      before = own;
      k++;
      whole.push(own);
      continue;
    }
    lost.push(s - first);
    whole.push(between(before, byNumber.get(there[k])!, s));
  }
  const weak = new Map<string, number[]>();
  for (const { s, weak: joints } of whole)
    for (const one of joints) weak.set(one, [...(weak.get(one) ?? []), s - first]);
  const doubts = [
    ...runsIn(lost).map(([from, to]): Doubt => ({ what: 'lost', from, to })),
    ...[...weak].flatMap(([one, list]) =>
      runsIn(list).map(([from, to]): Doubt => ({ what: 'weak', joint: one, from, to })),
    ),
  ];
  return { motion: motionOf(head, whole), doubts };
}

/** A sample between two others. */
function between(a: StreamSample, b: StreamSample, s: number): StreamSample {
  const t = (s - a.s) / (b.s - a.s);
  const rotations = [...a.rotations];
  for (let o = 0; o < rotations.length; o += 4)
    slerp(rotations, o, [...a.rotations], o, [...b.rotations], o, t);
  const [x, y, z] = a.root.map((value, axis) => value + (b.root[axis] - value) * t);
  return { s, root: [x, y, z], rotations, weak: [] };
}

function motionOf({ fps, rig }: StreamHead, samples: readonly StreamSample[]): Motion {
  const n = rig.joints.length;
  const translations = new Float64Array(3 * samples.length);
  const rotations = new Float64Array(4 * n * samples.length);
  for (const [k, { root, rotations: own }] of samples.entries()) {
    translations.set(root, 3 * k);
    rotations.set(own, 4 * n * k);
  }
  return {
    rig,
    count: samples.length,
    interval: 1 / fps,
    translations: { joints: Int32Array.of(rootOf(rig)), size: 3, values: translations },
    rotations: { joints: Int32Array.from({ length: n }, (_, j) => j), size: 4, values: rotations },
    scales: emptyTrack(3),
    faces: emptyTrack(1),
  };
}
