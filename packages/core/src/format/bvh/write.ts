import { DEGREES, type EulerOrder, quaternionToEuler, unwindEuler } from '../../math/euler.js';
import { facesOf } from '../../rig/members.js';
import { rigHeight } from '../../rig/pose.js';
import {
  type BvhChannel,
  characterOf,
  type FaceChannel,
  type Joint,
  jointChildren,
  type Rig,
} from '../../rig/rig.js';
import type { Samples } from '../../take/take.js';
import { fileOfLines, type Lines, newLines } from '../lines.js';
import { MOVES, type MotionFormat, noteDepartures, SCALES, TURNS, writeWhole } from '../motion-file.js';
import { readBvh } from './read.js';
import { type Column, newRowKernel } from './row-kernel.js';

const number = (value: number): string => {
  const text = value.toFixed(6);
  return text === '-0.000000' ? '0.000000' : text;
};

/** A number with all its digits, without an exponent. */
const exact = (value: number): string => (Math.abs(value) < 1e-6 ? value.toFixed(12) : String(value));

/**
 * BVH for `count` samples, `interval` seconds apart. Names, order, hierarchy, offsets, end sites and channel order are the
 * rig's, but that a root which did not come from BVH has no offset, since its positions are counted from the origin and some
 * readers add both; joints that move against their parent get position channels, and joints that turn get the rotation channels that
 * they lack. Angles are degrees, unwound from sample to sample. What joints scale evenly at rest goes into the lengths of
 * those below them; any other scale is lost, with a warning. Props are left out.
 */
export function bvhFormat(
  scene: Rig,
  { count, interval }: Pick<Samples, 'count' | 'interval'>,
): MotionFormat {
  const rig = characterOf(scene);
  const { joints } = rig;
  const faces = facesOf(rig);
  const rests = faces.map(({ rest }) => [rest]);
  const height = rigHeight(rig);
  const translations = joints.map(({ translation }) => translation);
  const identities = joints.map(() => [0, 0, 0, 1]);
  const scales = joints.map((joint) => (isEven(joint) ? joint.scale : [1, 1, 1]));
  return {
    flags: () => new Uint8Array(joints.length + faces.length),
    note(part, flags) {
      noteDepartures(part, 'faces', rests, () => 1e-9, flags.subarray(joints.length), MOVES);
      noteDepartures(part, 'translations', translations, () => 1e-6 * height, flags, MOVES);
      noteDepartures(part, 'rotations', identities, () => 1e-9, flags, TURNS);
      noteDepartures(part, 'scales', scales, (j) => 1e-6 * joints[j].scale[0], flags, SCALES);
    },
    begin(flags) {
      const channels = joints.map((joint, j) =>
        channelsOf(joint, (flags[j] & MOVES) !== 0, (flags[j] & TURNS) !== 0),
      );
      const lengths = lengthsBelow(rig);
      const bones = hierarchy(rig, channels, lengths);
      const lines = newLines();
      lines.text(`${bones}MOTION\nFrames: ${count}\nFrame Time: ${exact(interval)}\n`);
      const columns = columnsOf(channels, lengths);
      let write: ((part: Samples) => void) | undefined;
      return {
        ...fileOfLines(lines, (part) => {
          write ??= rowsWriter(rig, part.rotations.joints.length, columns, lines);
          write(part);
        }),
        warnings: [
          ...scaleWarnings(joints.filter((_, j) => (flags[j] & SCALES) !== 0)),
          ...faceWarnings(faces.filter((_, f) => flags[joints.length + f] !== 0)),
        ],
        rig: () => rigRead(bones, channels.flat().length),
      };
    },
  };
}

/** The joints of a hierarchy as they are read. */
const rigRead = (bones: string, channels: number): Rig =>
  readBvh(new TextEncoder().encode(`${bones}MOTION\nFrames: 1\nFrame Time: 1\n${'0 '.repeat(channels)}\n`))
    .rig;

const SPACE = 0x20;
const NEW_LINE = 0x0a;

/** What each number of a row is. */
const columnsOf = (channels: readonly BvhChannel[][], lengths: readonly number[]): Column[] =>
  channels.flatMap((own, joint) =>
    own.map((channel) => {
      const moves = channel.endsWith('position');
      return { joint, axis: channel.charCodeAt(0) - 88, moves, factor: moves ? lengths[joint] : DEGREES };
    }),
  );

/** Writes the rows of samples that hold `stride` joints; angles run on from the row before. */
function rowsWriter(
  { joints }: Rig,
  stride: number,
  columns: readonly Column[],
  lines: Lines,
): (part: Samples) => void {
  const orders = joints.map(({ order }) => order);
  const kernel = newRowKernel(orders, stride, columns);
  const before = kernel?.before ?? new Float64Array(3 * joints.length);
  const row = rowWriter(orders, columns, before, lines);
  return (part) => {
    for (let s = 0; s < part.count; ) {
      const { rows, bytes } = kernel?.write(part, s) ?? NOTHING;
      lines.bytes(bytes);
      s += rows;
      if (rows === 0) row(part, s++);
    }
  };
}

const NOTHING = { rows: 0, bytes: new Uint8Array() };

/** Writes one row in plain TypeScript: where there is no kernel, or it has a number that the kernel does not write. */
function rowWriter(
  orders: readonly EulerOrder[],
  columns: readonly Column[],
  before: Float64Array,
  lines: Lines,
): (part: Samples, s: number) => void {
  const angles = new Float64Array(before.length);
  const places = Int32Array.from(columns, ({ joint, axis }) => 3 * joint + axis);
  return ({ translations, rotations }, s) => {
    const from = s * rotations.joints.length;
    for (let j = 0; j < orders.length; j++) {
      quaternionToEuler(angles, 3 * j, orders[j], rotations.values, 4 * (from + j));
      unwindEuler(angles, 3 * j, orders[j], before, 3 * j);
    }
    before.set(angles);
    lines.line(places.length);
    for (let c = 0; c < places.length; c++) {
      const at = places[c];
      const value = columns[c].moves ? translations.values[3 * from + at] : angles[at];
      lines.number(value * columns[c].factor, c + 1 < places.length ? SPACE : NEW_LINE);
    }
  };
}

/** Writes samples that hold every joint of the rig as BVH, as {@link bvhFormat} says. */
export const writeBvh = (
  rig: Rig,
  samples: Samples,
): { bytes: Uint8Array<ArrayBuffer>; warnings: readonly string[] } =>
  writeWhole(bvhFormat(rig, samples), samples);

/** The whole text of a BVH file. */
export const bvhText = (rig: Rig, samples: Samples): string =>
  new TextDecoder().decode(writeBvh(rig, samples).bytes);

function channelsOf(joint: Joint, moves: boolean, turns: boolean): BvhChannel[] {
  const isNew = joint.channels.length === 0;
  const lacking = (channels: readonly BvhChannel[]) =>
    channels.filter((channel) => !joint.channels.includes(channel));
  const positions =
    moves || (isNew && joint.parent < 0) ? lacking(['Xposition', 'Yposition', 'Zposition']) : [];
  const rotations = turns ? lacking([...joint.order].map((axis) => `${axis}rotation` as BvhChannel)) : [];
  return [...positions, ...joint.channels, ...rotations];
}

/** Whether a joint scales all its axes alike at rest. */
const isEven = ({ scale: [x, y, z] }: Joint): boolean =>
  Math.abs(x - y) < 1e-6 * x && Math.abs(x - z) < 1e-6 * x;

/** For each joint how much longer its offset is than written, by the scales at rest of the joints above it. */
function lengthsBelow(rig: Rig): number[] {
  const lengths: number[] = [];
  for (const { parent } of rig.joints) {
    const above = rig.joints[parent];
    lengths.push(parent < 0 ? 1 : lengths[parent] * (isEven(above) ? above.scale[0] : 1));
  }
  return lengths;
}

function hierarchy(rig: Rig, channels: readonly BvhChannel[][], lengths: readonly number[]): string {
  const lines = ['HIERARCHY'];
  const children = jointChildren(rig);
  const offset = (vector: readonly number[], by = 1) =>
    `OFFSET ${vector.map((value) => number(value * by)).join(' ')}`;
  const write = (j: number, indent: string) => {
    const joint = rig.joints[j];
    lines.push(`${indent}${joint.parent < 0 ? 'ROOT' : 'JOINT'} ${joint.name}`, `${indent}{`);
    const inner = `${indent}\t`;
    const placed = joint.parent < 0 && joint.channels.length === 0;
    lines.push(
      inner + offset(placed ? [0, 0, 0] : joint.translation, lengths[j]),
      `${inner}CHANNELS ${channels[j].length} ${channels[j].join(' ')}`,
    );
    for (const child of children[j]) write(child, inner);
    for (const end of joint.ends)
      lines.push(
        `${inner}End Site`,
        `${inner}{`,
        `${inner}\t${offset(end, lengths[j] * (isEven(joint) ? joint.scale[0] : 1))}`,
        `${inner}}`,
      );
    if (children[j].length === 0 && joint.ends.length === 0 && joint.channels.length === 0) {
      lines.push(`${inner}End Site`, `${inner}{`, `${inner}\t${offset([0, 0, 0])}`, `${inner}}`);
    }
    lines.push(`${indent}}`);
  };
  write(0, '');
  return `${lines.join('\n')}\n`;
}

const someOf = (things: readonly { readonly name: string }[]): string => {
  const names = things.slice(0, 3).map(({ name }) => name);
  return `${names.join(', ')}${things.length > 3 ? ` and ${things.length - 3} more` : ''}`;
};

const scaleWarnings = (scaled: readonly Joint[]): string[] =>
  scaled.length > 0 ? [`BVH holds no scale: the scale of ${someOf(scaled)} is not in the file`] : [];

const faceWarnings = (moved: readonly FaceChannel[]): string[] =>
  moved.length > 0 ? [`BVH holds no face channels: ${someOf(moved)} are not in the file`] : [];
