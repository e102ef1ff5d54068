import { EULER_ORDERS, type EulerOrder, eulerToQuaternion, RADIANS } from '../../math/euler.js';
import { BVH_CHANNELS, type BvhChannel, type Joint, type Rig, type Vector3 } from '../../rig/rig.js';
import { emptyTrack, type Samples, type Track } from '../../take/take.js';
import { decodeText, FileError, quote } from '../error.js';
import { checkLimit, LIMITS } from '../limits.js';
import { decimal, isBlank, Tokens } from './tokens.js';

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

/**
 * Reads a BVH file (Meredith and Maddock, Motion Capture File Formats Explained). Angles become unit
 * quaternions; lengths stay in the file's unit. Throws {@link FileError} that names the line.
 */
export function readBvh(bytes: Uint8Array): BvhFile {
  const text = decodeText(bytes, 'a BVH text file');
  const tokens = new Tokens(text);
  const joints = readHierarchy(tokens);
  const channels = joints.flatMap((joint, j) => joint.channels.map((channel) => ({ joint: j, channel })));
  const warnings: string[] = [];

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

  const { values, count } = readRows(text, tokens.position, tokens.line, channels.length);
  if (count === 0) throw new FileError(`line ${tokens.line}`, 'MOTION has no rows, expected at least one');
  if (promised !== count)
    warnings.push(`the header says ${promised} frames, the file has ${count} rows: the rows count`);
  return { ...assemble(joints, channels, values, count, interval), warnings };
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

/** Powers of ten that a double holds exactly. */
const POWERS = Array.from({ length: 23 }, (_, k) => 10 ** k);

/**
 * Reads the rows of MOTION from `position` on. Plain decimals of up to 15 digits are read digit by digit,
 * which is exact: both the digits and the power of ten fit a double. Everything else goes through `Number`.
 */
function readRows(
  text: string,
  position: number,
  line: number,
  width: number,
): { values: Float64Array; count: number } {
  const length = text.length;
  let values = new Float64Array(Math.max(1, width) * 256);
  let filled = 0;
  let count = 0;
  let inRow = 0;
  let p = position;
  let row = line;
  const endRow = () => {
    if (inRow === 0) return;
    if (inRow !== width) throw new FileError(`line ${row}`, `${inRow} values, expected ${width}`);
    count++;
    checkLimit(`line ${row}`, count, LIMITS.samples, 'rows');
    inRow = 0;
  };
  while (p < length) {
    let c = text.charCodeAt(p);
    if (c === 10) {
      endRow();
      row++;
      p++;
      continue;
    }
    if (isBlank(c)) {
      p++;
      continue;
    }
    const start = p;
    const negative = c === 45;
    if (negative || c === 43) c = text.charCodeAt(++p);
    let mantissa = 0;
    let digits = 0;
    let decimals = 0;
    for (; c >= 48 && c <= 57; c = text.charCodeAt(++p)) {
      mantissa = mantissa * 10 + c - 48;
      digits++;
    }
    if (c === 46) {
      for (c = text.charCodeAt(++p); c >= 48 && c <= 57; c = text.charCodeAt(++p)) {
        mantissa = mantissa * 10 + c - 48;
        digits++;
        decimals++;
      }
    }
    let value = negative ? -mantissa / POWERS[decimals] : mantissa / POWERS[decimals];
    if (digits === 0 || digits > 15 || (p < length && !isBlank(c))) {
      while (p < length && !isBlank(text.charCodeAt(p))) p++;
      const token = text.slice(start, p);
      value = decimal(token);
      if (Number.isNaN(value))
        throw new FileError(`line ${row}`, `${quote(token)} as value ${inRow + 1}, expected a finite number`);
    }
    if (inRow === width) {
      throw new FileError(`line ${row}`, `more than ${width} values, expected ${width}`);
    }
    if (filled === values.length) {
      checkLimit(`line ${row}`, filled + 1, LIMITS.values, 'values');
      const larger = new Float64Array(2 * values.length);
      larger.set(values);
      values = larger;
    }
    values[filled++] = value;
    inRow++;
  }
  endRow();
  return { values: values.subarray(0, filled), count };
}

const POSITION = ['Xposition', 'Yposition', 'Zposition'] as const;

function assemble(
  drafts: readonly DraftJoint[],
  channels: readonly { joint: number; channel: BvhChannel }[],
  values: Float64Array,
  count: number,
  interval: number,
): { rig: Rig; samples: Samples } {
  const width = channels.length;
  const columnOf = new Map(channels.map(({ joint, channel }, c) => [`${joint} ${channel}`, c]));
  const column = (joint: number, channel: BvhChannel) => columnOf.get(`${joint} ${channel}`) ?? -1;
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

  const translations = track(moving, 3, count);
  for (const [entry, j] of moving.entries()) {
    const columns = POSITION.map((channel) => column(j, channel));
    const offset = drafts[j].offset!;
    const standsStill = columns.every((c) => c < 0 || isStill(values, c, width));
    const added = drafts[j].parent >= 0 && standsStill && Math.hypot(...offset) > 1e-3;
    for (const [axis, c] of columns.entries())
      writeColumn(translations, 3 * entry + axis, values, c, width, offset[axis], c < 0 || added);
  }

  const rotations = track(turning, 4, count);
  for (const [entry, j] of turning.entries()) {
    const columns = [column(j, 'Xrotation'), column(j, 'Yrotation'), column(j, 'Zrotation')];
    writeTurns(rotations, 4 * entry, values, columns, width, joints[j].order);
  }
  return {
    rig: { joints },
    samples: { count, interval, translations, rotations, scales: emptyTrack(3), faces: emptyTrack(1) },
  };
}

/** Whether a column of values, `width` to a row, is 0 in every row. */
function isStill(values: Float64Array, column: number, width: number): boolean {
  for (let i = column; i < values.length; i += width) if (Math.abs(values[i]) > 1e-6) return false;
  return true;
}

/** Writes a column of values to one number of each sample of a track, with an offset where it is `added`. */
function writeColumn(
  to: Track,
  o: number,
  values: Float64Array,
  column: number,
  width: number,
  offset: number,
  added: boolean,
): void {
  const stride = to.size * to.joints.length;
  for (let i = o, from = column; i < to.values.length; i += stride, from += width)
    to.values[i] = (column < 0 ? 0 : values[from]) + (added ? offset : 0);
}

const angles = new Float64Array(3);

/** Writes angles, in degrees in columns of values for x, y and z (0 where one is -1), as quaternions of a track. */
function writeTurns(
  to: Track,
  o: number,
  values: Float64Array,
  columns: readonly number[],
  width: number,
  order: EulerOrder,
): void {
  const stride = to.size * to.joints.length;
  for (let i = o, row = 0; i < to.values.length; i += stride, row += width) {
    for (let axis = 0; axis < 3; axis++)
      angles[axis] = columns[axis] < 0 ? 0 : values[row + columns[axis]] * RADIANS;
    eulerToQuaternion(to.values, i, order, angles, 0);
  }
}

const indices = <T>(list: readonly T[], holds: (item: T) => boolean): Int32Array =>
  Int32Array.from(list.flatMap((item, index) => (holds(item) ? [index] : [])));

const track = (joints: Int32Array, size: 3 | 4, count: number): Track => ({
  joints,
  size,
  values: new Float64Array(count * size * joints.length),
});

/** The Euler order of a joint's rotation channels; axes that are not listed come last, in their own order. */
function orderOf(channels: readonly BvhChannel[]): EulerOrder {
  const listed = channels.filter((channel) => channel.endsWith('rotation')).map((channel) => channel[0]);
  const letters = [...listed, ...['Z', 'Y', 'X'].filter((axis) => !listed.includes(axis))].join('');
  return EULER_ORDERS.find((order) => order === letters) ?? 'ZYX';
}
