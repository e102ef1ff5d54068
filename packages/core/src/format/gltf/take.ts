import { type AnimationChannel, type Document, GLB_BUFFER, type GLTF, WebIO } from '@gltf-transform/core';
import { z } from 'zod';
import { newId } from '../../id.js';
import { EULER_ORDERS } from '../../math/euler.js';
import { composeMatrix, decomposeMatrix, type Matrix, multiplyMatrices } from '../../math/matrix.js';
import { normalize, slerp } from '../../math/quaternion.js';
import { BVH_CHANNELS, type Joint, type Rig } from '../../rig/rig.js';
import { emptyTrack, type Take, type Track, takeId } from '../../take/take.js';
import { checkSize, FileError, reasonOf } from '../error.js';
import { type GltfSkeleton, matrixOf, readSkeleton, transformOf } from './rig.js';
import type { Gltf, GltfAnimation } from './schema.js';

/** Samples a second where the keys of an animation stand at uneven times. */
const UNEVEN_RATE = 60;
/** How far a time may lie from an even one, as a part of the interval: times are 32-bit numbers. */
const EVEN = 0.02;

/**
 * Reads an animation of a binary glTF 2.0 file as a take, a sample a key where they stand at even times. `clip` names
 * the animation where there are several. Lengths are metres, or for a take that Evlay made for a rig in other units
 * those units. Throws {@link FileError}.
 */
export async function readGlbTake(
  file: string,
  bytes: Uint8Array,
  clip: string | undefined,
  id = newId(),
): Promise<{ take: Take; warnings: readonly string[] }> {
  checkSize(file, bytes.length);
  try {
    const skeleton = readSkeleton(bytes);
    const index = findClip(skeleton.gltf, clip);
    const { name } = skeleton.gltf.animations![index];
    const channels = channelsOf(await animationsOf(skeleton), index);
    const named = {
      id: takeId(id, clip),
      name: name || file.slice(file.lastIndexOf('/') + 1).replace(/\.glb$/i, ''),
      source: { id, file, bytes, clip },
    };
    const read = takeOf(skeleton, channels, named);
    const warnings = [...skeleton.warnings, ...read.warnings];
    return { take: { ...read.take, warnings }, warnings };
  } catch (error) {
    // Buffers that are too short, accessors of another type: the library says what it ran into.
    throw new FileError(file, `the animation cannot be read (${reasonOf(error)})`);
  }
}

/** Names of the animations of a file that move its skeleton. An animation without a name has an empty one. */
export function clipNames({ gltf, nodes, ancestors }: GltfSkeleton): string[] {
  const own = new Set([...nodes.flat(), ...ancestors]);
  const moves = ({ channels }: GltfAnimation) =>
    channels.some(({ target: { node, path } }) => node !== undefined && own.has(node) && path !== 'weights');
  return (gltf.animations ?? []).filter(moves).map(({ name }) => name ?? '');
}

function findClip({ animations = [] }: Gltf, clip: string | undefined): number {
  const names = animations.map(({ name }) => `"${name ?? ''}"`).join(', ');
  if (animations.length === 0) throw new FileError('animations', 'there is no animation, expected one');
  if (clip === undefined) {
    if (animations.length > 1)
      throw new FileError('animations', `there are several, expected "clip" to name one of ${names}`);
    return 0;
  }
  const found = animations.findIndex(({ name }) => (name ?? '') === clip);
  if (found < 0) throw new FileError('animations', `there is no "${clip}", expected one of ${names}`);
  return found;
}

/**
 * The animations of a file with their numbers and the nodes that they move, and nothing else: meshes, materials and
 * what extensions say of them do not matter here, whatever they need.
 */
function animationsOf({ gltf, bin }: GltfSkeleton): Promise<Document> {
  const used = new Set(
    (gltf.animations ?? []).flatMap(({ samplers }) =>
      samplers.flatMap(({ input, output }) => [input, output]),
    ),
  );
  const packed = [...used].find((a) => {
    const view = gltf.bufferViews?.[gltf.accessors?.[a]?.bufferView ?? -1];
    return (
      (view?.extensions as object | undefined) && 'EXT_meshopt_compression' in (view!.extensions as object)
    );
  });
  if (packed !== undefined)
    throw new FileError(
      `accessors[${packed}]`,
      'it is compressed (EXT_meshopt_compression), expected plain numbers',
    );
  const json = {
    asset: { version: '2.0' },
    nodes: (gltf.nodes ?? []).map(() => ({})),
    animations: (gltf.animations ?? []).map(({ name, channels, samplers }) => ({ name, channels, samplers })),
    accessors: (gltf.accessors ?? []).map((accessor, a) =>
      used.has(a) ? accessor : { componentType: 5126, count: 1, type: 'SCALAR' },
    ),
    bufferViews: gltf.bufferViews,
    buffers: gltf.buffers,
  };
  return new WebIO().readJSON({
    json: json as unknown as GLTF.IGLTF,
    resources: { [GLB_BUFFER]: bin as Uint8Array<ArrayBuffer> },
  });
}

type Path = 'translation' | 'rotation' | 'scale';
const SIZES = { translation: 3, rotation: 4, scale: 3 } as const;

/** A channel with the index of the node that it moves. */
interface NodeChannel {
  readonly node: number;
  readonly path: Path;
  readonly channel: AnimationChannel;
}

function channelsOf(document: Document, animation: number): NodeChannel[] {
  const root = document.getRoot();
  const index = new Map(root.listNodes().map((node, n) => [node, n]));
  return root
    .listAnimations()
    [animation].listChannels()
    .flatMap((channel) => {
      const node = index.get(channel.getTargetNode()!);
      const path = channel.getTargetPath();
      return node === undefined || !path || path === 'weights' ? [] : [{ node, path, channel }];
    });
}

interface Timing {
  readonly interval: number;
  readonly count: number;
}

function takeOf(
  skeleton: GltfSkeleton,
  all: readonly NodeChannel[],
  named: Pick<Take, 'id' | 'name' | 'source'>,
): { take: Take; warnings: readonly string[] } {
  const { rig, nodes, ancestors, gltf } = skeleton;
  const own = [...nodes.map(([node]) => node), ...ancestors];
  const channels = all.filter(({ node }) => own.includes(node));
  const times = channels.flatMap(({ channel }) => [...channel.getSampler()!.getInput()!.getArray()!]);
  if (times.length === 0)
    throw new FileError('animations', 'no joint is animated, expected keys for at least one');
  const made = madeBy(gltf);
  const { count, even, ...found } = evenTimes(times);
  const last = times.reduce((most, time) => Math.max(most, time), 0);
  const fits = made && Math.abs(made.interval * (count - 1) - last) < EVEN * found.interval;
  const interval = fits ? made.interval : found.interval;
  const rooted = ancestors.length > 0 ? rootInScene(skeleton, channels, { interval, count }) : undefined;
  const unit = made?.metresPerUnit;
  const track = (path: Path): Track => {
    const size = SIZES[path];
    const entries = nodes.flatMap(([node], joint) => {
      const channel = channels.find((one) => one.node === node && one.path === path)?.channel;
      const values =
        joint === 0 && rooted ? rooted[path] : channel && sampled(channel, size, { interval, count });
      return values ? [{ joint, values }] : [];
    });
    if (entries.length === 0) return emptyTrack(size);
    const stride = entries.length * size;
    const values = new Float64Array(count * stride);
    const by = path === 'translation' ? 1 / (unit ?? 1) : 1;
    for (const [entry, { values: from }] of entries.entries())
      for (let s = 0; s < count; s++)
        for (let c = 0; c < size; c++) values[s * stride + entry * size + c] = from[s * size + c] * by;
    return { joints: Int32Array.from(entries, ({ joint }) => joint), size, values };
  };
  const take: Take = {
    ...named,
    rig: unit === undefined ? rig : madeRig(rig, skeleton, unit),
    count,
    interval,
    translations: track('translation'),
    rotations: track('rotation'),
    scales: track('scale'),
  };
  const warnings = even ? [] : [`keys stand at uneven times; they are read ${UNEVEN_RATE} times a second`];
  return { take, warnings };
}

const jointExtras = z.object({
  order: z.enum(EULER_ORDERS),
  channels: z.array(z.enum(BVH_CHANNELS)),
  ends: z.array(z.tuple([z.number(), z.number(), z.number()])),
});

/** The rig for which Evlay made a take, in its own unit and with what a BVH file says of its joints. */
const madeRig = (rig: Rig, { gltf, nodes }: GltfSkeleton, unit: number): Rig => ({
  joints: rig.joints.map((joint, j) => ({
    ...joint,
    translation: joint.translation.map((value) => value / unit) as unknown as Joint['translation'],
    ...jointExtras.safeParse(gltf.nodes![nodes[j][0]].extras).data,
  })),
});

const madeExtras = z.object({ metresPerUnit: z.number().positive(), interval: z.number().positive() });

/** What a take that Evlay made says of itself: how long its unit and its samples are. Undefined for every other file. */
const madeBy = ({ asset }: Gltf) => madeExtras.safeParse(asset.extras).data;

/** The samples of the root as it is seen in the scene, with the nodes above it; a kind that nothing moves is left out. */
function rootInScene(
  { gltf, nodes, ancestors, above }: GltfSkeleton,
  channels: readonly NodeChannel[],
  timing: Timing,
): { readonly [P in Path]?: Float64Array } {
  const chain = [...ancestors, nodes[0][0]];
  const moving = chain.some((node) => ancestors.includes(node) && channels.some((one) => one.node === node));
  const moved = (path: Path) =>
    moving || channels.some((one) => one.node === nodes[0][0] && one.path === path);
  const motions = chain.map((node) => nodeMotion(gltf, node, channels, timing));
  const out = {
    translation: new Float64Array(3 * timing.count),
    rotation: new Float64Array(4 * timing.count),
    scale: new Float64Array(3 * timing.count),
  };
  for (let s = 0; s < timing.count; s++) {
    const local = moving
      ? motions.map((motion) => motion(s)).reduce(multiplyMatrices)
      : multiplyMatrices(above, motions[motions.length - 1](s));
    const parts = decomposeMatrix(local);
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
  timing: Timing,
): (s: number) => Matrix {
  const rest = gltf.nodes![node];
  const values = (path: Path) => {
    const found = channels.find((one) => one.node === node && one.path === path);
    return found && sampled(found.channel, SIZES[path], timing);
  };
  const [t, r, k] = [values('translation'), values('rotation'), values('scale')];
  const parts = transformOf(rest);
  if (!parts || !(t || r || k)) return () => matrixOf(rest);
  const three = (from: Float64Array | undefined, s: number, still: readonly number[]) =>
    (from ? [...from.subarray(3 * s, 3 * s + 3)] : still) as unknown as typeof parts.translation;
  return (s) =>
    composeMatrix({
      translation: three(t, s, parts.translation),
      rotation: (r ? [...r.subarray(4 * s, 4 * s + 4)] : parts.rotation) as typeof parts.rotation,
      scale: three(k, s, parts.scale),
    });
}

/** The values of a channel at even times, `size` numbers a sample. */
function sampled(channel: AnimationChannel, size: 3 | 4, { interval, count }: Timing): Float64Array {
  const out = new Float64Array(count * size);
  sampleChannel(channel, size, interval, count, out);
  return out;
}

/** The interval and the number of samples that hold keys at the given times, from time 0 on. */
function evenTimes(times: readonly number[]): { interval: number; count: number; even: boolean } {
  const sorted = [...new Set([0, ...times])].sort((a, b) => a - b);
  const last = sorted[sorted.length - 1];
  if (last <= 0) return { interval: 1 / UNEVEN_RATE, count: 1, even: true };
  const least = sorted.reduce(
    (best, time, i) => (i > 0 && time - sorted[i - 1] > 1e-5 ? Math.min(best, time - sorted[i - 1]) : best),
    last,
  );
  // The interval that divides the whole, with a whole number of samples a second where that is near.
  const steps = Math.max(1, Math.round(last / least));
  const rate = steps / last;
  const interval = 1 / (Math.abs(rate - Math.round(rate)) < 1e-3 ? Math.round(rate) : rate);
  const even = sorted.every((time) => {
    const step = time / interval;
    return Math.abs(step - Math.round(step)) < EVEN;
  });
  return even
    ? { interval, count: steps + 1, even }
    : { interval: 1 / UNEVEN_RATE, count: Math.ceil(last * UNEVEN_RATE - 1e-6) + 1, even };
}

/** Writes the values of a channel at even times (glTF 2.0, appendix C: step, linear, cubic spline). */
function sampleChannel(
  channel: AnimationChannel,
  size: 3 | 4,
  interval: number,
  count: number,
  out: Float64Array,
): void {
  const sampler = channel.getSampler()!;
  const input = sampler.getInput()!.getArray()!;
  const output = sampler.getOutput()!;
  const cubic = sampler.getInterpolation() === 'CUBICSPLINE';
  const element = (i: number) => output.getElement(i, new Array<number>(size).fill(0));
  const value = (key: number) => element(cubic ? 3 * key + 1 : key);
  let key = 0;
  for (let s = 0; s < count; s++) {
    const time = s * interval;
    while (key + 1 < input.length && input[key + 1] <= time + EVEN * interval) key++;
    const o = s * size;
    const h = key + 1 < input.length ? input[key + 1] - input[key] : 0;
    const u = h > 0 ? (time - input[key]) / h : 0;
    if (u <= EVEN || h === 0 || sampler.getInterpolation() === 'STEP') out.set(value(key), o);
    else if (!cubic && size === 4) slerp(out, o, value(key), 0, value(key + 1), 0, u);
    else if (!cubic) {
      const [a, b] = [value(key), value(key + 1)];
      for (let c = 0; c < size; c++) out[o + c] = (1 - u) * a[c] + u * b[c];
    } else {
      const [a, b] = [value(key), value(key + 1)];
      const leave = element(3 * key + 2);
      const arrive = element(3 * (key + 1));
      for (let c = 0; c < size; c++) {
        out[o + c] =
          (2 * u ** 3 - 3 * u ** 2 + 1) * a[c] +
          (u ** 3 - 2 * u ** 2 + u) * h * leave[c] +
          (-2 * u ** 3 + 3 * u ** 2) * b[c] +
          (u ** 3 - u ** 2) * h * arrive[c];
      }
    }
    if (size === 4) normalize(out, o);
  }
}
