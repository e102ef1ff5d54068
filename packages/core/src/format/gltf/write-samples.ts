import {
  composeMatrix,
  decomposeMatrix,
  invertMatrix,
  multiplyMatrices,
  type Transform,
} from '../../math/matrix.js';
import { multiply } from '../../math/quaternion.js';
import { facesOf, memberCount } from '../../rig/members.js';
import { characterOf, type FaceChannel, type Joint, type Rig } from '../../rig/rig.js';
import { rootOf } from '../../rig/topology.js';
import type { Samples, Track } from '../../take/take.js';
import { FileError } from '../error.js';
import { type JointFlags, MOVES, type MotionFormat, SCALES, TURNS } from '../motion-file.js';
import { targetWeight } from './faces.js';
import { joinGlb } from './glb.js';
import { type Mirrored, mirrorNumbers } from './mirrored.js';
import { layOut, type MotionOptions, type MotionPlace, openPlace } from './motion-place.js';
import { bytesOfFloats, type NodePath, sizeOfPath } from './node-keys.js';
import { type GltfSkeleton, matrixOf, readGlbRig } from './rig.js';

export interface SampledOptions extends MotionOptions {
  /** Whether a channel is written for exactly what the samples record, also where it never leaves rest. */
  readonly still?: boolean;
}

/**
 * An animation with a key at every sample, put on a file. The numbers of every channel stand together, one after the other for
 * all samples, so that a part of the motion is written to as many places as there are channels.
 */
export function sampledOn(
  file: Uint8Array,
  scene: Rig,
  { count, interval }: Pick<Samples, 'count' | 'interval'>,
  options: SampledOptions,
): MotionFormat {
  const { joints } = scene;
  return {
    flags: () => new Uint8Array(memberCount(scene)),
    note(part, flags) {
      if (options.still) noteRecorded(part, flags, joints.length);
      else {
        noteLeavingRest(part, joints, flags);
        noteFaces(part, facesOf(scene), flags.subarray(joints.length));
      }
    },
    begin(flags) {
      const place = openPlace(file, scene, options);
      const tracks = tracksOfNodes(place, scene, flags, options.metresPerUnit);
      const times = (from: number, some: number) =>
        Float32Array.from({ length: some }, (_, k) => (from + k) * interval);
      const layout = layOut(
        place,
        options.name,
        [{ count, first: 0, last: times(count - 1, 1)[0] }],
        tracks.map(({ node, path, targets }) => ({ node, path, targets, times: 0, count, curved: false })),
      );
      const [timesAt, ...outputsAt] = layout.offsets;
      let done = 0;
      return {
        head: layout.head,
        next(part) {
          const from = done;
          done += part.count;
          return [
            { at: timesAt + 4 * from, bytes: bytesOfFloats(times(from, part.count)) },
            ...tracks.map((track, k) => ({
              at: outputsAt[k] + 4 * sizeOfPath(track) * from,
              bytes: bytesOfFloats(new Float32Array(track.numbersOf(part))),
            })),
          ];
        },
        tail: layout.tail,
        warnings: [],
        rig: () => readGlbRig(joinGlb({ json: layout.json, bin: new Uint8Array(0), others: [] })),
      };
    },
  };
}

const KINDS = [
  ['translations', MOVES],
  ['rotations', TURNS],
  ['scales', SCALES],
] as const;

function noteRecorded(part: Samples, flags: JointFlags, joints: number): void {
  for (const [kind, flag] of KINDS) for (const j of part[kind].joints) flags[j] |= flag;
  for (const f of part.faces.joints) flags[joints + f] |= MOVES;
}

/** Notes face channels that leave rest; `flags` are theirs alone. */
function noteFaces(
  { faces: { values, joints } }: Samples,
  faces: readonly FaceChannel[],
  flags: JointFlags,
): void {
  for (const [entry, f] of joints.entries()) {
    const rest = Math.fround(faces[f].rest);
    for (let o = entry; o < values.length && !flags[f]; o += joints.length)
      if (Math.fround(values[o]) !== rest) flags[f] = MOVES;
  }
}

/** Every joint turns; whether it moves and scales is seen as far as a 32-bit number can tell. */
function noteLeavingRest(part: Samples, joints: readonly Joint[], flags: JointFlags): void {
  for (let j = 0; j < joints.length; j++) flags[j] |= TURNS;
  noteLeaving(
    part.translations,
    joints.map(({ translation }) => translation),
    flags,
    MOVES,
  );
  noteLeaving(
    part.scales,
    joints.map(({ scale }) => scale),
    flags,
    SCALES,
  );
}

/** Adds `flag` to the joints of which one of three numbers is ever another than at rest. */
function noteLeaving(
  { values, joints }: Track,
  rests: readonly (readonly number[])[],
  flags: JointFlags,
  flag: number,
): void {
  // Those that are still at rest, row by row: a joint's numbers lie far apart.
  const still = Int32Array.from(joints.keys()).filter((k) => (flags[joints[k]] & flag) === 0);
  let left = still.length;
  const numbers = new Float32Array(3 * left);
  for (let k = 0; k < left; k++) numbers.set(rests[joints[still[k]]], 3 * k);
  for (let row = 0; row < values.length && left > 0; row += 3 * joints.length)
    for (let k = left - 1; k >= 0; k--) {
      const o = row + 3 * still[k];
      if (
        Math.fround(values[o]) === numbers[3 * k] &&
        Math.fround(values[o + 1]) === numbers[3 * k + 1] &&
        Math.fround(values[o + 2]) === numbers[3 * k + 2]
      )
        continue;
      flags[joints[still[k]]] |= flag;
      left--;
      still[k] = still[left];
      numbers.copyWithin(3 * k, 3 * left, 3 * left + 3);
    }
}

/** One channel of the animation: its numbers for the samples that come next. */
interface SampledTrack extends NodePath {
  readonly numbersOf: (part: Samples) => Float64Array;
}

/** The channels of all joints, and of props as nodes of their own. */
function tracksOfNodes(
  { skeleton, props, firstProp }: MotionPlace,
  scene: Rig,
  flags: JointFlags,
  metresPerUnit: number,
): SampledTrack[] {
  const { nodes } = skeleton;
  const { joints } = characterOf(scene);
  return [
    ...(nodes[0].length > 1
      ? nodes[0].flatMap((node) => tracksOfPiece(skeleton, node))
      : joints.flatMap((joint, j) => {
          const tracks = tracksOfJoint(joint, j, nodes[j][0], flags[j], metresPerUnit).map((track) =>
            asNodeHas(track, skeleton.mirrored[j]),
          );
          return j === rootOf(scene) ? tracks.map((track) => belowNodes(track, skeleton)) : tracks;
        })),
    ...props.flatMap((prop, k) => {
      const j = joints.length + k;
      return tracksOfJoint(prop, j, firstProp + k, flags[j] | MOVES, metresPerUnit);
    }),
    ...tracksOfFaces(skeleton, scene, flags.subarray(scene.joints.length)),
    ...tracksOfFaceNodes(skeleton, scene),
  ];
}

/** The weights of every mesh of which a morph target moves: those of all its targets, a row a sample. */
function tracksOfFaces({ faceMeshes }: GltfSkeleton, scene: Rig, flags: JointFlags): SampledTrack[] {
  const rests = facesOf(scene).map(({ rest }) => rest);
  return faceMeshes.flatMap((mesh) => {
    const { nodes, channels } = mesh;
    if (!channels.some((f, t) => flags[f] !== 0 || mesh.also[t].some(({ face }) => flags[face] !== 0)))
      return [];
    const numbersOf = (part: Samples): Float64Array => {
      const out = new Float64Array(part.count * channels.length);
      const now = Float64Array.from(rests);
      for (let s = 0; s < part.count; s++) {
        readFaces(part, s, now);
        for (let t = 0; t < channels.length; t++) out[s * channels.length + t] = targetWeight(mesh, t, now);
      }
      return out;
    };
    return nodes.map((node) => ({ node, path: 'weights' as const, targets: channels.length, numbersOf }));
  });
}

/** Nodes that stand for face channels, by name: how far each is moved along x. */
function tracksOfFaceNodes({ faceNodes, rig }: GltfSkeleton, scene: Rig): SampledTrack[] {
  return faceNodes.flatMap(({ node, face }): SampledTrack[] => {
    const { name } = facesOf(rig)[face];
    const f = facesOf(scene).findIndex((one) => one.name === name);
    if (f < 0) return [];
    const numbersOf = (part: Samples): Float64Array => {
      const out = new Float64Array(3 * part.count);
      const now = Float64Array.from(facesOf(scene), ({ rest }) => rest);
      for (let s = 0; s < part.count; s++) {
        readFaces(part, s, now);
        out[3 * s] = now[f];
      }
      return out;
    };
    return [{ node, path: 'translation', numbersOf }];
  });
}

/** The face channels of a sample, those that it does not have left as they are. */
function readFaces({ faces: { values, joints } }: Samples, s: number, now: Float64Array): void {
  for (const [entry, f] of joints.entries()) now[f] = values[s * joints.length + entry];
}

/** The channels of a joint for what it does: rotations, translations in metres, scales. */
function tracksOfJoint(
  { translation, rotation, scale }: Joint,
  j: number,
  node: number,
  flags: number,
  metresPerUnit: number,
): SampledTrack[] {
  const rotations = turnsOf(j, rotation);
  return [
    ...(flags & TURNS ? [{ node, path: 'rotation' as const, numbersOf: rotations }] : []),
    ...(flags & MOVES
      ? [
          {
            node,
            path: 'translation' as const,
            numbersOf: (part: Samples) =>
              multiplied(valuesOf(part, part.translations, j, translation), metresPerUnit),
          },
        ]
      : []),
    ...(flags & SCALES
      ? [
          {
            node,
            path: 'scale' as const,
            numbersOf: (part: Samples) => valuesOf(part, part.scales, j, scale),
          },
        ]
      : []),
  ];
}

/** What a joint does as its node does it, where that mirrors. */
function asNodeHas(track: SampledTrack, mirrored: Mirrored | undefined): SampledTrack {
  const { path } = track;
  if (!mirrored || path === 'weights') return track;
  return { ...track, numbersOf: (part) => mirrorNumbers(mirrored, path, track.numbersOf(part).slice()) };
}

/** The root stands in the scene; its node hangs below what stands above it. */
function belowNodes(track: SampledTrack, { above }: GltfSkeleton): SampledTrack {
  const back = invertMatrix(above);
  const parts = decomposeMatrix(back)!;
  const turn = [...parts.rotation];
  return {
    ...track,
    numbersOf(part) {
      const numbers = track.numbersOf(part);
      if (track.path === 'rotation') turnAll(numbers, turn);
      else if (track.path === 'scale') scaleAll(numbers, parts.scale);
      else moveAll(numbers, back);
      return numbers;
    },
  };
}

/** Multiplies numbers in place. */
function multiplied(numbers: Float64Array, factor: number): Float64Array {
  for (let i = 0; i < numbers.length; i++) numbers[i] *= factor;
  return numbers;
}

function turnAll(numbers: Float64Array, turn: number[]): void {
  for (let o = 0; o < numbers.length; o += 4) multiply(numbers, o, turn, 0, numbers, o);
}

function scaleAll(numbers: Float64Array, scale: readonly number[]): void {
  for (let o = 0; o < numbers.length; o += 3) for (let c = 0; c < 3; c++) numbers[o + c] *= scale[c];
}

function moveAll(numbers: Float64Array, by: ArrayLike<number>): void {
  for (let o = 0; o < numbers.length; o += 3) {
    const x = numbers[o];
    const y = numbers[o + 1];
    const z = numbers[o + 2];
    for (let row = 0; row < 3; row++)
      numbers[o + row] = by[row] * x + by[4 + row] * y + by[8 + row] * z + by[12 + row];
  }
}

/** The channels of one piece of an object that a single joint moves as a whole. */
function tracksOfPiece({ gltf }: GltfSkeleton, node: number): SampledTrack[] {
  const rest = matrixOf(gltf.nodes![node]);
  const turns = turnsOf(0, [0, 0, 0, 1]);
  let last: { part: Samples; moved: Transform[] } | undefined;
  const movedIn = (part: Samples): Transform[] => {
    if (last?.part === part) return last.moved;
    const moves = valuesOf(part, part.translations, 0, [0, 0, 0]);
    const scales = valuesOf(part, part.scales, 0, [1, 1, 1]);
    const rotations = turns(part);
    const moved = Array.from({ length: part.count }, (_, s): Transform => {
      const joint = {
        translation: moves.subarray(3 * s, 3 * s + 3),
        rotation: rotations.subarray(4 * s, 4 * s + 4),
        scale: scales.subarray(3 * s, 3 * s + 3),
      } as unknown as Transform;
      const transform = decomposeMatrix(multiplyMatrices(composeMatrix(joint), rest));
      if (!transform)
        throw new FileError(`nodes[${node}]`, 'the piece is sheared or mirrored, expected scales above 0');
      return transform;
    });
    last = { part, moved };
    return moved;
  };
  return (['translation', 'rotation', 'scale'] as const).map((path) => ({
    node,
    path,
    numbersOf: (part) => Float64Array.from(movedIn(part).flatMap((transform) => [...transform[path]])),
  }));
}

/** The numbers of joint `j` at every sample, those at rest where a track does not have it. */
function valuesOf({ count }: Samples, track: Track, j: number, rest: readonly number[]): Float64Array {
  const { values, joints, size } = track;
  const entry = joints.indexOf(j);
  const out = new Float64Array(size * count);
  for (let s = 0; s < count; s++) {
    const from = size * (s * joints.length + entry);
    for (let c = 0; c < size; c++) out[size * s + c] = entry < 0 ? rest[c] : values[from + c];
  }
  return out;
}

/** Unit quaternions of joint `j` in parts that follow one another, each on the side of the one before. */
function turnsOf(j: number, rest: readonly number[]): (part: Samples) => Float64Array {
  const before = new Float64Array(4);
  return (part) => {
    const out = valuesOf(part, part.rotations, j, rest);
    keepSides(out, before);
    return out;
  };
}

/** Gives quaternions length 1 and the sign of the one before; `before` is that in front of the first, and then the last. */
function keepSides(turns: Float64Array, before: Float64Array): void {
  let [bx, by, bz, bw] = before;
  for (let o = 0; o < turns.length; o += 4) {
    const x = turns[o];
    const y = turns[o + 1];
    const z = turns[o + 2];
    const w = turns[o + 3];
    const squared = x * x + y * y + z * z + w * w;
    const dot = x * bx + y * by + z * bz + w * bw;
    const factor = (dot < 0 ? -1 : 1) / Math.sqrt(squared);
    bx = turns[o] = x * factor;
    by = turns[o + 1] = y * factor;
    bz = turns[o + 2] = z * factor;
    bw = turns[o + 3] = w * factor;
  }
  before.set([bx, by, bz, bw]);
}
