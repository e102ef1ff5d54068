import { DEGREES, quaternionToEuler, unwindEuler } from '../math/euler.js';
import { rigHeight } from '../rig/pose.js';
import { type BvhChannel, characterOf, type Joint, jointChildren, type Rig } from '../rig/rig.js';
import type { Samples } from '../take/take.js';

export interface BvhText {
  /** The file, in pieces that follow each other; each is written when it is asked for. */
  readonly pieces: Iterable<string>;
  /** What a BVH cannot hold of the motion. */
  readonly warnings: readonly string[];
}

const number = (value: number): string => {
  const text = value.toFixed(6);
  return text === '-0.000000' ? '0.000000' : text;
};

/** A number with all its digits, without an exponent. */
const exact = (value: number): string => (Math.abs(value) < 1e-6 ? value.toFixed(12) : String(value));

/**
 * Writes samples that hold every joint of the rig as BVH. Names, order, hierarchy, offsets, end sites and
 * channel order are the rig's; joints that move against their parent get position channels, and joints that
 * turn get the rotation channels that they lack. Angles are degrees, unwound from sample to sample. What joints scale
 * evenly at rest goes into the lengths of those below them; any other scale is lost, with a warning. Props are left out.
 */
export function writeBvh(scene: Rig, samples: Samples): BvhText {
  const rig = characterOf(scene);
  const moving = movingJoints(rig, samples);
  const channels = rig.joints.map((joint, j) =>
    channelsOf(joint, moving[j], departs(samples, 'rotations', j, [0, 0, 0, 1], 1e-9)),
  );
  const lengths = lengthsBelow(rig);
  return { pieces: writePieces(rig, samples, channels, lengths), warnings: scaleWarnings(rig, samples) };
}

function* writePieces(
  rig: Rig,
  samples: Samples,
  channels: readonly BvhChannel[][],
  lengths: readonly number[],
): Generator<string, void> {
  yield hierarchy(rig, channels, lengths);
  yield `MOTION\nFrames: ${samples.count}\nFrame Time: ${exact(samples.interval)}\n`;
  const n = rig.joints.length;
  const stride = samples.rotations.joints.length;
  const last = new Float64Array(3 * n);
  for (let s = 0; s < samples.count; s++) {
    const row: string[] = [];
    for (let j = 0; j < n; j++) {
      const t = 3 * (s * stride + j);
      quaternionToEuler(angles, 0, rig.joints[j].order, samples.rotations.values, 4 * (s * stride + j));
      unwindEuler(angles, 0, rig.joints[j].order, last, 3 * j);
      for (let axis = 0; axis < 3; axis++) last[3 * j + axis] = angles[axis];
      for (const channel of channels[j]) {
        const axis = channel.charCodeAt(0) - 88;
        row.push(
          number(
            channel.endsWith('position')
              ? samples.translations.values[t + axis] * lengths[j]
              : angles[axis] * DEGREES,
          ),
        );
      }
    }
    yield `${row.join(' ')}\n`;
  }
}

/** The whole text of a BVH file. */
export const bvhText = (rig: Rig, samples: Samples): string => [...writeBvh(rig, samples).pieces].join('');

const angles = new Float64Array(3);

/** Which joints leave their rest translation by more than a millionth of the character's height. */
function movingJoints(rig: Rig, samples: Samples): boolean[] {
  const limit = 1e-6 * rigHeight(rig);
  return rig.joints.map((joint, j) => departs(samples, 'translations', j, joint.translation, limit));
}

/** Whether the samples of joint `j` ever differ from its rest value by more than `limit`. */
function departs(
  samples: Samples,
  kind: 'translations' | 'rotations' | 'scales',
  j: number,
  rest: readonly number[],
  limit: number,
): boolean {
  const { values, size, joints } = samples[kind];
  for (let s = 0; s < samples.count; s++) {
    for (let c = 0; c < size; c++) {
      if (Math.abs(values[size * (s * joints.length + j) + c] - rest[c]) > limit) return true;
    }
  }
  return false;
}

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
    lines.push(
      inner + offset(joint.translation, lengths[j]),
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

function scaleWarnings(rig: Rig, samples: Samples): string[] {
  const scaled = rig.joints.filter((joint, j) =>
    departs(samples, 'scales', j, isEven(joint) ? joint.scale : [1, 1, 1], 1e-6 * joint.scale[0]),
  );
  if (scaled.length === 0) return [];
  const names = scaled.slice(0, 3).map((joint) => joint.name);
  const more = scaled.length > 3 ? ` and ${scaled.length - 3} more` : '';
  return [`BVH holds no scale: the scale of ${names.join(', ')}${more} is not in the file`];
}
