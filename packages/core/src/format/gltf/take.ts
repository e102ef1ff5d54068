import { z } from 'zod';
import { newId } from '../../id.js';
import { EULER_ORDERS } from '../../math/euler.js';
import {
  composeMatrix,
  decomposeMatrix,
  IDENTITY,
  type Matrix,
  multiplyMatrices,
} from '../../math/matrix.js';
import { facesOf } from '../../rig/members.js';
import { BVH_CHANNELS, type Joint, type Rig } from '../../rig/rig.js';
import type { FaceCurve } from '../../take/face-curve.js';
import { emptyTrack, type Take, type Track, takeId } from '../../take/take.js';
import { FileError, named, quote } from '../error.js';
import { checkLimit, checkSize, LIMITS } from '../limits.js';
import { type AccessorReader, accessorReader } from './accessor.js';
import { besideCharacter } from './beside.js';
import { type Sampling, samplingOf } from './density.js';
import { ofTarget } from './faces.js';
import { mirrorNumbers } from './mirrored.js';
import { type GltfSkeleton, matrixOf, readSkeleton, transformOf } from './rig.js';
import { readSampler, type Sampler, sampleAt } from './sampler.js';
import type { Gltf, GltfAnimation } from './schema.js';
import { evenTimes, SLOPPY } from './timing.js';

/**
 * Reads an animation of a binary glTF 2.0 file as a take: a sample a key where keys stand at even times and run in
 * straight lines, otherwise as many as it takes to follow them. `clip` names the animation where there are several.
 * Lengths are metres, or for a take that Evlay made for a rig in other units those units. Throws {@link FileError}.
 */
export function readGlbTake(
  file: string,
  bytes: Uint8Array,
  clip: string | undefined,
  id = newId(),
): { take: Take; warnings: readonly string[] } {
  checkSize(file, bytes.length);
  try {
    const skeleton = readSkeleton(bytes);
    const read = readClip(skeleton, accessorReader(skeleton.gltf, skeleton.bin), clip, { id, file, bytes });
    const warnings = [...skeleton.warnings, ...read.warnings];
    return { take: { ...read.take, warnings }, warnings };
  } catch (error) {
    throw named(file, error);
  }
}

/** The file of a take. */
type Origin = Omit<Take['source'], 'clip'>;

/** Reads one animation of a file that was read already. Throws {@link FileError} with the place in it. */
export function readClip(
  skeleton: GltfSkeleton,
  accessors: AccessorReader,
  clip: string | undefined,
  { id, file, bytes }: Origin,
): { take: Take; warnings: readonly string[] } {
  const { gltf } = skeleton;
  const index = findClip(gltf, clip);
  const channels = channelsOf(skeleton, accessors, index);
  const faceCurves = faceCurvesOf(skeleton, accessors, index);
  const { name } = gltf.animations![index];
  const { count, interval, tracks, warnings } = sampled(
    skeleton,
    channels,
    faceCurves,
    `animations[${index}]`,
  );
  const unit = madeBy(gltf)?.metresPerUnit;
  const beside = besideCharacter(skeleton, index);
  const take: Take = {
    id: takeId(id, clip),
    name: name || file.slice(file.lastIndexOf('/') + 1).replace(/\.(glb|vrma?)$/i, ''),
    source: { id, file, bytes, clip },
    rig: unit === undefined ? skeleton.rig : madeRig(skeleton.rig, skeleton, unit),
    count,
    interval,
    ...tracks,
    ...(faceCurves.length > 0 && { faceCurves }),
    ...(beside.length > 0 && { left: beside }),
  };
  return { take, warnings };
}

/** Names of the animations of a file that move its skeleton or its face. An animation without a name has an empty one. */
export function clipNames({ gltf, nodes, ancestors, faceMeshes, faceNodes }: GltfSkeleton): string[] {
  const own = new Set([...nodes.flat(), ...ancestors, ...faceNodes.map(({ node }) => node)]);
  const faces = new Set(faceMeshes.flatMap((mesh) => mesh.nodes));
  const moves = ({ channels }: GltfAnimation) =>
    channels.some(
      ({ target: { node, path } }) => node !== undefined && (path === 'weights' ? faces : own).has(node),
    );
  return (gltf.animations ?? []).filter(moves).map(({ name }) => name ?? '');
}

/** The place of the animation that a clip names; of the only one where none is named. */
export function findClip({ animations = [] }: Gltf, clip: string | undefined): number {
  const some = animations.slice(0, 5).map(({ name }) => quote(name ?? ''));
  const names = `${some.join(', ')}${animations.length > 5 ? ' …' : ''}`;
  if (animations.length === 0) throw new FileError('animations', 'there is no animation, expected one');
  if (clip === undefined) {
    if (animations.length > 1)
      throw new FileError('animations', `there are several, expected "clip" to name one of ${names}`);
    return 0;
  }
  const found = animations.findIndex(({ name }) => (name ?? '') === clip);
  if (found < 0) throw new FileError('animations', `there is no ${quote(clip)}, expected one of ${names}`);
  return found;
}

type Path = 'translation' | 'rotation' | 'scale';
const SIZES = { translation: 3, rotation: 4, scale: 3 } as const;

/** What moves a node: a property and its keys. */
export interface NodeChannel {
  readonly node: number;
  readonly path: Path;
  readonly sampler: Sampler;
}

/** The channels of an animation that move the skeleton, as its joints have them; of two that move the same the first counts. */
export function channelsOf(
  { gltf, nodes, ancestors, mirrored }: GltfSkeleton,
  accessors: AccessorReader,
  index: number,
): NodeChannel[] {
  const own = new Set([...nodes.map(([node]) => node), ...ancestors]);
  const jointOf = new Map(nodes.map(([node], joint) => [node, joint]));
  const animation = gltf.animations![index];
  const place = `animations[${index}]`;
  const samplers = new Map<string, Sampler>();
  const moved = new Set<string>();
  return animation.channels.flatMap(({ sampler, target: { node, path } }, c): NodeChannel[] => {
    if (node === undefined || !own.has(node) || path === 'weights') return [];
    if (!isPath(path))
      throw new FileError(
        `${place}.channels[${c}].target.path`,
        `${quote(path)}, expected translation, rotation, scale or weights`,
      );
    if (moved.has(`${node} ${path}`)) return [];
    moved.add(`${node} ${path}`);
    const key = `${sampler} ${SIZES[path]}`;
    const read =
      samplers.get(key) ??
      readSampler(accessors, gltf, animation, sampler, SIZES[path], `${place}.samplers[${sampler}]`);
    samplers.set(key, read);
    const turned = mirrored[jointOf.get(node) ?? -1];
    const values = turned ? mirrorNumbers(turned, path, read.values.slice()) : read.values;
    return [{ node, path, sampler: { ...read, values } }];
  });
}

/**
 * What an animation records of face channels, at its own times. Where several meshes, or nodes that show one, are animated
 * differently, the first counts.
 */
export function faceCurvesOf(
  { gltf, rig, faceMeshes, faceNodes }: GltfSkeleton,
  accessors: AccessorReader,
  index: number,
): FaceCurve[] {
  const animation = gltf.animations![index];
  const place = `animations[${index}]`;
  const curves = new Map<number, FaceCurve>();
  for (const { nodes, channels } of faceMeshes) {
    const channel = animation.channels.find(
      ({ target: { node, path } }) => path === 'weights' && node !== undefined && nodes.includes(node),
    );
    if (!channel) continue;
    const { sampler } = channel;
    const where = `${place}.samplers[${sampler}]`;
    const { times, values, interpolation } = readSampler(
      accessors,
      gltf,
      animation,
      sampler,
      channels.length,
      where,
      true,
    );
    for (const [target, face] of channels.entries())
      if (!curves.has(face))
        curves.set(face, {
          channel: facesOf(rig)[face].name,
          interpolation,
          times,
          values: ofTarget(values, channels.length, target),
        });
  }
  for (const { node, face } of faceNodes) {
    const channel = animation.channels.find(
      ({ target }) => target.node === node && target.path === 'translation',
    );
    if (!channel) continue;
    const where = `${place}.samplers[${channel.sampler}]`;
    const { values, ...sampler } = readSampler(accessors, gltf, animation, channel.sampler, 3, where);
    curves.set(face, {
      channel: facesOf(rig)[face].name,
      interpolation: sampler.interpolation,
      times: sampler.times,
      values: ofTarget(values, 3, 0),
    });
  }
  return [...curves.values()];
}

const isPath = (path: string): path is Path => Object.hasOwn(SIZES, path);

interface SampledMotion extends Pick<Take, 'count' | 'interval'> {
  readonly tracks: Pick<Take, 'translations' | 'rotations' | 'scales' | 'faces'>;
  readonly warnings: readonly string[];
}

function sampled(
  skeleton: GltfSkeleton,
  channels: readonly NodeChannel[],
  faceCurves: readonly FaceCurve[],
  place: string,
): SampledMotion {
  const { nodes, ancestors, gltf } = skeleton;
  const samplers = channels.map(({ sampler }) => sampler);
  const lastFace = faceCurves.reduce((end, { times }) => Math.max(end, times[times.length - 1]), 0);
  if (samplers.length === 0) {
    if (faceCurves.length === 0)
      throw new FileError(place, 'no joint and no morph target is animated, expected keys for at least one');
    return faceAlone(faceCurves, lastFace, place);
  }
  const rooted = ancestors.length > 0;
  // The root is put together of three properties for each node above it that moves.
  const numbers = samplers.reduce((sum, { size }) => sum + size, rooted ? 10 * (1 + samplers.length) : 0);
  const inFile = samplers.reduce((sum, { values }) => sum + values.length, 0);
  const most = Math.floor(Math.min(LIMITS.values, Math.max(LIMITS.sampledValues, 4 * inFile)) / numbers);
  const sampling = samplingOf(samplers, Math.min(most, LIMITS.samples));
  checkLimit(
    place,
    sampling.count,
    Math.min(most, LIMITS.samples),
    `samples of ${samplers.length} animated properties`,
  );
  const made = madeBy(gltf);
  // A face may go on when all joints are done.
  const count = Math.max(sampling.count, Math.ceil(lastFace / sampling.interval - SLOPPY) + 1);
  checkLimit(place, count, LIMITS.samples, 'samples');
  const last = samplers.reduce((end, { times }) => Math.max(end, times[times.length - 1]), 0);
  const fits =
    made &&
    count === sampling.count &&
    Math.abs(made.interval * (count - 1) - last) < SLOPPY * sampling.interval;
  const root = rooted ? rootInScene(skeleton, channels, { ...sampling, count }) : undefined;
  const own = new Map(nodes.map(([node], joint) => [node, joint]));
  const unit = made?.metresPerUnit ?? 1;
  const track = (path: Path): Track => {
    const size = SIZES[path];
    const moving = channels.filter(
      (channel) => channel.path === path && own.has(channel.node) && !(root && own.get(channel.node) === 0),
    );
    const joints = moving.map(({ node }) => own.get(node)!);
    if (root?.[path]) joints.push(0);
    if (joints.length === 0) return emptyTrack(size);
    const ascending = Int32Array.from(joints).sort();
    const entryOf = new Map([...ascending].map((joint, entry) => [joint, entry]));
    const stride = size * joints.length;
    const values = new Float64Array(count * stride);
    for (const { node, sampler } of moving)
      writeSamples(sampler, { ...sampling, count }, values, size * entryOf.get(own.get(node)!)!, stride);
    if (root?.[path])
      for (let s = 0; s < count; s++)
        for (let c = 0; c < size; c++) values[s * stride + c] = root[path][s * size + c];
    if (path === 'translation' && unit !== 1) for (let i = 0; i < values.length; i++) values[i] *= 1 / unit;
    return { joints: ascending, size, values };
  };
  return {
    count,
    interval: fits ? made.interval : sampling.interval,
    tracks: {
      translations: track('translation'),
      rotations: track('rotation'),
      scales: track('scale'),
      faces: emptyTrack(1),
    },
    warnings: sampling.warnings,
  };
}

/** Samples a second of a take that records a face alone at uneven times. */
const FACE_RATE = 60;

/** A motion of face channels alone: its samples say how long it is. */
function faceAlone(faceCurves: readonly FaceCurve[], last: number, place: string): SampledMotion {
  const times = [...new Set(faceCurves.flatMap((curve) => [...curve.times]))].sort((a, b) => a - b);
  const { interval, count } = evenTimes(times) ?? {
    interval: 1 / FACE_RATE,
    count: Math.ceil(last * FACE_RATE - SLOPPY) + 1,
  };
  checkLimit(place, count, LIMITS.samples, 'samples');
  const tracks = {
    translations: emptyTrack(3),
    rotations: emptyTrack(4),
    scales: emptyTrack(3),
    faces: emptyTrack(1),
  };
  return { count, interval, tracks, warnings: [] };
}

/** Writes the samples of a property, the first at `o`, each `stride` numbers behind the one before. */
function writeSamples(
  sampler: Sampler,
  { interval, count, snap }: Sampling,
  out: Float64Array,
  o: number,
  stride: number,
): void {
  const cursor = { key: 0 };
  for (let s = 0; s < count; s++) sampleAt(sampler, s * interval, snap, cursor, out, o + s * stride);
}

const jointExtras = z.object({
  order: z.enum(EULER_ORDERS),
  channels: z.array(z.enum(BVH_CHANNELS)),
  ends: z.array(z.tuple([z.number(), z.number(), z.number()])),
});

/** The rig for which Evlay made a take, in its own unit and with what a BVH file says of its joints. */
const madeRig = (rig: Rig, { gltf, nodes }: GltfSkeleton, unit: number): Rig => ({
  ...rig,
  joints: rig.joints.map((joint, j) => ({
    ...joint,
    translation: joint.translation.map((value) => value / unit) as unknown as Joint['translation'],
    ...jointExtras.safeParse(gltf.nodes![nodes[j][0]].extras).data,
  })),
});

const madeExtras = z.object({ metresPerUnit: z.number().positive(), interval: z.number().positive() });

/** What a take that Evlay made says of itself: how long its unit and its samples are. Undefined for every other file. */
const madeBy = ({ asset }: Gltf) => madeExtras.safeParse(asset.extras).data;

/** Whether a file is a take that Evlay made, and no character. */
export const isMadeTake = (bytes: Uint8Array): boolean => madeBy(readSkeleton(bytes).gltf) !== undefined;

/** The samples of the root as it is seen in the scene, with the nodes above it; a kind that nothing moves is left out. */
function rootInScene(
  { gltf, nodes, ancestors }: GltfSkeleton,
  channels: readonly NodeChannel[],
  sampling: Sampling,
): { readonly [P in Path]?: Float64Array } {
  const [root] = nodes[0];
  const animated = new Set(channels.map(({ node }) => node));
  const above = ancestors.some((node) => animated.has(node));
  const moved = (path: Path) => above || channels.some((one) => one.node === root && one.path === path);
  // What stands still between two nodes that move is one transform.
  const motions: ((s: number) => Matrix)[] = [];
  let still = IDENTITY;
  for (const node of [...ancestors, root]) {
    if (!animated.has(node)) {
      still = multiplyMatrices(still, matrixOf(gltf.nodes![node]));
      continue;
    }
    const [before, motion] = [still, nodeMotion(gltf, node, channels, sampling)];
    motions.push((s) => multiplyMatrices(before, motion(s)));
    still = IDENTITY;
  }
  const out = {
    translation: new Float64Array(3 * sampling.count),
    rotation: new Float64Array(4 * sampling.count),
    scale: new Float64Array(3 * sampling.count),
  };
  for (let s = 0; s < (motions.length > 0 ? sampling.count : 0); s++) {
    const seen = motions.map((motion) => motion(s)).reduce(multiplyMatrices);
    const parts = decomposeMatrix(still === IDENTITY ? seen : multiplyMatrices(seen, still));
    if (!parts)
      throw new FileError(
        'animations',
        'the nodes above the skeleton shear or mirror it, expected even scales',
      );
    out.translation.set(parts.translation, 3 * s);
    out.rotation.set(parts.rotation, 4 * s);
    out.scale.set(parts.scale, 3 * s);
  }
  return {
    ...(moved('translation') && { translation: out.translation }),
    ...(moved('rotation') && { rotation: out.rotation }),
    ...(moved('scale') && { scale: out.scale }),
  };
}

/** The local transform of a node at a sample. */
function nodeMotion(
  gltf: Gltf,
  node: number,
  channels: readonly NodeChannel[],
  sampling: Sampling,
): (s: number) => Matrix {
  const rest = gltf.nodes![node];
  const values = (path: Path) => {
    const found = channels.find((one) => one.node === node && one.path === path);
    if (!found) return undefined;
    const out = new Float64Array(SIZES[path] * sampling.count);
    writeSamples(found.sampler, sampling, out, 0, SIZES[path]);
    return out;
  };
  const [t, r, k] = [values('translation'), values('rotation'), values('scale')];
  const parts = transformOf(rest);
  if (!parts) return () => matrixOf(rest);
  const three = (from: Float64Array | undefined, s: number, still: readonly number[]) =>
    (from ? [...from.subarray(3 * s, 3 * s + 3)] : still) as unknown as typeof parts.translation;
  return (s) =>
    composeMatrix({
      translation: three(t, s, parts.translation),
      rotation: (r ? [...r.subarray(4 * s, 4 * s + 4)] : parts.rotation) as typeof parts.rotation,
      scale: three(k, s, parts.scale),
    });
}
