import { EULER_ORDERS, type EulerOrder, eulerToQuaternion, RADIANS } from '../../math/euler.js';
import { BVH_CHANNELS, type BvhChannel, type Joint, type Rig, type Vector3 } from '../../rig/rig.js';
import { emptyTrack, type Samples, type Track } from '../../take/take.js';
import { decodeText, FileError, quote } from '../error.js';
import { checkLimit, LIMITS } from '../limits.js';
import { Rows } from './rows.js';
import { Tokens } from './tokens.js';

/** What a BVH file holds. */
export interface BvhFile {
  readonly rig: Rig;
  readonly samples: Samples;
  /** What was odd but could be read. */
  readonly warnings: readonly string[];
}

interface DraftJoint {
  name: string;
  parent: number;
  offset: [number, number, number] | undefined;
  ends: Vector3[];
  channels: BvhChannel[];
}

/** What stands above the rows of MOTION. */
interface BvhHead {
  readonly drafts: readonly DraftJoint[];
  /** Rows that the file promises, and seconds from one to the next. */
  readonly promised: number;
  readonly interval: number;
  /** The line on which the rows begin. */
  readonly line: number;
}

/** Bytes that are text at once: a head is hardly ever longer. */
const PIECE = 1 << 20;

/**
 * Reads a BVH file (Meredith and Maddock, Motion Capture File Formats Explained). Angles become unit
 * quaternions; lengths stay in the file's unit. Rows are read piece by piece, so that no more of them is text than a piece.
 * Throws {@link FileError} that names the line.
 */
export function readBvh(bytes: Uint8Array): BvhFile {
  const { head, rest, end } = readHead(bytes);
  const { drafts, promised, interval, line } = head;
  const motion = newBvhMotion(drafts, promised, bytes.length);
  const rows = new Rows(motion.width, line, motion.take);
  rows.read(rest);
  for (const text of textsOf(bytes, end)) rows.read(text);
  rows.end();
  const { count } = rows;
  if (count === 0) throw new FileError(`line ${line}`, 'MOTION has no rows, expected at least one');
  return {
    ...motion.finish(count, interval),
    warnings:
      promised === count
        ? []
        : [`the header says ${promised} frames, the file has ${count} rows: the rows count`],
  };
}

/** Reads the head, and the text behind it up to the byte `end`. */
function readHead(bytes: Uint8Array): { head: BvhHead; rest: string; end: number } {
  for (let size = PIECE; ; size *= 8) {
    const end = endOfLines(bytes, 0, size);
    const tokens = new Tokens(decodeText(bytes.subarray(0, end), 'a BVH text file'));
    try {
      const head = readTokens(tokens);
      return { head, rest: tokens.text.slice(tokens.position), end };
    } catch (error) {
      // It may only be longer.
      if (end === bytes.length) throw error;
    }
  }
}

/** The byte behind the last whole line of a piece, or of the line that goes on beyond it. */
function endOfLines(bytes: Uint8Array, from: number, size: number): number {
  if (from + size >= bytes.length) return bytes.length;
  const last = bytes.lastIndexOf(LINE, from + size - 1) + 1;
  if (last > from) return last;
  const next = bytes.indexOf(LINE, from + size) + 1;
  return next > 0 ? next : bytes.length;
}

const LINE = 10;

/** The text from a byte on, in pieces of whole lines. */
function* textsOf(bytes: Uint8Array, from: number): Generator<string> {
  for (let at = from; at < bytes.length; ) {
    const end = endOfLines(bytes, at, PIECE);
    const text = asciiOf(bytes.subarray(at, end));
    // Other letters than those of numbers are read with all that follows, to find out which they are.
    if (text === undefined) {
      yield decodeText(bytes.subarray(at), 'a BVH text file');
      return;
    }
    yield text;
    at = end;
  }
}

/** The text of bytes that are all ASCII; undefined of others. */
function asciiOf(bytes: Uint8Array): string | undefined {
  try {
    const text = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
    return text.length === bytes.length ? text : undefined;
  } catch {
    return undefined;
  }
}

function readTokens(tokens: Tokens): BvhHead {
  const drafts = readHierarchy(tokens);
  tokens.expect('MOTION', 'the section MOTION');
  tokens.expect('FRAMES:', '"Frames:"');
  const promised = tokens.number('the number of frames');
  tokens.expect('FRAME', '"Frame Time:"');
  tokens.expect('TIME:', '"Frame Time:"');
  const interval = tokens.number('the frame time in seconds');
  if (!(interval >= 1 / LIMITS.rate && interval <= LIMITS.rate))
    throw new FileError(
      `line ${tokens.line}`,
      `frame time ${interval}, expected seconds, more than 0 (${1 / LIMITS.rate} to ${LIMITS.rate})`,
    );
  if (tokens.restOfLine() !== '')
    throw new FileError(`line ${tokens.line}`, 'expected the end of the line after the frame time');
  return { drafts, promised, interval, line: tokens.line };
}

function readHierarchy(tokens: Tokens): DraftJoint[] {
  tokens.expect('HIERARCHY', 'the section HIERARCHY (is this a BVH file?)');
  tokens.expect('ROOT', 'ROOT');
  const joints: DraftJoint[] = [];
  const names = new Set<string>();
  const open = (parent: number) => {
    const name = tokens.restOfLine();
    if (name === '') throw new FileError(`line ${tokens.line}`, 'the name of a joint is missing');
    if (names.has(name))
      throw new FileError(
        `line ${tokens.line}`,
        `two joints are named ${quote(name)}, expected names that differ`,
      );
    checkLimit(`line ${tokens.line}`, name.length, LIMITS.name, 'characters in a name');
    checkLimit(`line ${tokens.line}`, names.size + 1, LIMITS.joints, 'joints');
    names.add(name);
    joints.push({ name, parent, offset: undefined, ends: [], channels: [] });
    tokens.expect('{', '"{"');
    return joints.length - 1;
  };
  let current = open(-1);
  while (current >= 0) {
    const joint = joints[current];
    const token = tokens.next();
    switch (token.toUpperCase()) {
      case 'OFFSET':
        joint.offset = vector(tokens);
        break;
      case 'CHANNELS':
        joint.channels = readChannels(tokens, joint.name);
        break;
      case 'JOINT':
        current = open(current);
        break;
      case 'END':
        tokens.expect('SITE', '"End Site"');
        tokens.restOfLine();
        tokens.expect('{', '"{"');
        tokens.expect('OFFSET', 'the OFFSET of the end site');
        joint.ends.push(vector(tokens));
        tokens.expect('}', '"}" after the end site');
        break;
      case '}':
        if (!joint.offset)
          throw new FileError(`line ${tokens.line}`, `joint ${quote(joint.name)} has no OFFSET`);
        current = joint.parent;
        break;
      default:
        tokens.fail(token, `OFFSET, CHANNELS, JOINT, End Site or "}" in joint ${quote(joint.name)}`);
    }
  }
  return joints;
}

const vector = (tokens: Tokens): [number, number, number] => [
  tokens.number('the x of an OFFSET'),
  tokens.number('the y of an OFFSET'),
  tokens.number('the z of an OFFSET'),
];

function readChannels(tokens: Tokens, joint: string): BvhChannel[] {
  const count = tokens.number('the number of channels');
  if (!Number.isInteger(count) || count < 0 || count > 6) {
    throw new FileError(`line ${tokens.line}`, `${count} channels in joint ${quote(joint)}, expected 0 to 6`);
  }
  const channels: BvhChannel[] = [];
  for (let k = 0; k < count; k++) {
    const token = tokens.next();
    const channel = BVH_CHANNELS.find((name) => name.toLowerCase() === token.toLowerCase());
    if (!channel) tokens.fail(token, `a channel of joint ${quote(joint)}: Xposition ... Zrotation`);
    if (channels.includes(channel))
      throw new FileError(`line ${tokens.line}`, `${channel} stands twice in joint ${quote(joint)}`);
    channels.push(channel);
  }
  return channels;
}

const POSITION = ['Xposition', 'Yposition', 'Zposition'] as const;
const ROTATION = ['Xrotation', 'Yrotation', 'Zrotation'] as const;

/** Samples that are made of rows as they come. */
interface BvhMotion {
  /** Values of a row. */
  readonly width: number;
  readonly take: (values: Float64Array, rows: number) => void;
  readonly finish: (count: number, interval: number) => { rig: Rig; samples: Samples };
}

/** Room for the motion of some joints, at first for as many rows as are promised, if a file of `size` bytes can hold them. */
function newBvhMotion(drafts: readonly DraftJoint[], promised: number, size: number): BvhMotion {
  const channels = drafts.flatMap((joint, j) => joint.channels.map((channel) => `${j} ${channel}`));
  const columnsOf = (joint: number, names: readonly BvhChannel[]) =>
    names.map((name) => channels.indexOf(`${joint} ${name}`));
  const joints = drafts.map(
    (draft): Joint => ({
      name: draft.name,
      parent: draft.parent,
      translation: draft.offset!,
      rotation: [0, 0, 0, 1],
      scale: [1, 1, 1],
      order: orderOf(draft.channels),
      ends: draft.ends,
      channels: draft.channels,
    }),
  );
  const moving = indices(drafts, (draft) => draft.channels.some((channel) => channel.endsWith('position')));
  const turning = indices(drafts, (draft) => draft.channels.some((channel) => channel.endsWith('rotation')));
  const moves = [...moving].map((j) => columnsOf(j, POSITION));
  const turns = [...turning].map((j) => columnsOf(j, ROTATION));
  const width = channels.length;
  // A value takes a digit and a blank at least.
  const values = Math.min(size / 2, LIMITS.values);
  const possible = Math.min(Math.ceil(values / Math.max(1, width)), LIMITS.samples);
  let room = Math.max(1, Math.min(Math.ceil(promised), possible));
  let translations: Float64Array = new Float64Array(3 * moving.length * room);
  let rotations: Float64Array = new Float64Array(4 * turning.length * room);
  let done = 0;
  return {
    width,
    take(values, rows) {
      if (done + rows > room) {
        room = Math.max(done + rows, 2 * done);
        translations = withRoom(translations, 3 * moving.length * room);
        rotations = withRoom(rotations, 4 * turning.length * room);
      }
      for (const [entry, columns] of moves.entries())
        writeColumns(translations, done, moving.length, entry, values, columns, width, rows);
      for (const [entry, columns] of turns.entries()) {
        const { order } = joints[turning[entry]];
        writeTurns(rotations, done, turning.length, entry, values, columns, width, rows, order);
      }
      done += rows;
    },
    finish(count, interval) {
      const track = (own: Int32Array, size: 3 | 4, values: Float64Array): Track => {
        const length = size * own.length * count;
        return { joints: own, size, values: values.length === length ? values : values.slice(0, length) };
      };
      const moved = track(moving, 3, translations);
      for (const [entry, j] of moving.entries()) addOffset(moved, entry, joints[j], moves[entry]);
      const turned = track(turning, 4, rotations);
      return {
        rig: { joints },
        samples: {
          count,
          interval,
          translations: moved,
          rotations: turned,
          scales: emptyTrack(3),
          faces: emptyTrack(1),
        },
      };
    },
  };
}

/** The same numbers with room for more. */
function withRoom(values: Float64Array, length: number): Float64Array {
  const more = new Float64Array(length);
  more.set(values);
  return more;
}

/**
 * Adds the offset of a joint to its translations, where the file does not say them: on axes without a channel, and on all of them
 * where a joint with an offset has channels that say 0 throughout, as some programs write them.
 */
function addOffset(
  { joints, values }: Track,
  entry: number,
  { parent, translation }: Joint,
  columns: readonly number[],
): void {
  const stride = 3 * joints.length;
  const isStill = (axis: number) => {
    for (let i = 3 * entry + axis; i < values.length; i += stride)
      if (Math.abs(values[i]) > 1e-6) return false;
    return true;
  };
  const standsStill = columns.every((column, axis) => column < 0 || isStill(axis));
  const all = parent >= 0 && standsStill && Math.hypot(...translation) > 1e-3;
  for (const [axis, column] of columns.entries()) {
    if (column >= 0 && !all) continue;
    for (let i = 3 * entry + axis; i < values.length; i += stride) values[i] += translation[axis];
  }
}

/** Writes the columns of x, y and z (0 where one is -1) of some rows to the samples from `from` on, of a joint among `joints`. */
function writeColumns(
  to: Float64Array,
  from: number,
  joints: number,
  entry: number,
  values: Float64Array,
  columns: readonly number[],
  width: number,
  rows: number,
): void {
  for (let row = 0; row < rows; row++) {
    const o = 3 * ((from + row) * joints + entry);
    // Adding 0 makes a 0 of -0.
    for (let axis = 0; axis < 3; axis++)
      to[o + axis] = columns[axis] < 0 ? 0 : values[row * width + columns[axis]] + 0;
  }
}

const angles = new Float64Array(3);

/** Writes angles, in degrees in columns of x, y and z (0 where one is -1) of some rows, as quaternions. */
function writeTurns(
  to: Float64Array,
  from: number,
  joints: number,
  entry: number,
  values: Float64Array,
  columns: readonly number[],
  width: number,
  rows: number,
  order: EulerOrder,
): void {
  for (let row = 0; row < rows; row++) {
    for (let axis = 0; axis < 3; axis++)
      angles[axis] = columns[axis] < 0 ? 0 : values[row * width + columns[axis]] * RADIANS;
    eulerToQuaternion(to, 4 * ((from + row) * joints + entry), order, angles, 0);
  }
}

const indices = <T>(list: readonly T[], holds: (item: T) => boolean): Int32Array =>
  Int32Array.from(list.flatMap((item, index) => (holds(item) ? [index] : [])));

/** The Euler order of a joint's rotation channels; axes that are not listed come last, in their own order. */
function orderOf(channels: readonly BvhChannel[]): EulerOrder {
  const listed = channels.filter((channel) => channel.endsWith('rotation')).map((channel) => channel[0]);
  const letters = [...listed, ...['Z', 'Y', 'X'].filter((axis) => !listed.includes(axis))].join('');
  return EULER_ORDERS.find((order) => order === letters) ?? 'ZYX';
}
