import { kernelModule } from '../kernel/module.js';
import type { Pose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import { type Topology, topologyOf } from '../rig/topology.js';
import { type Take, type Track, trackEntries } from '../take/take.js';

/**
 * The kernel blends the rotations of takes in WebAssembly, four joints at once and in 32-bit floats (its source is
 * in `kernel/blend.ts`). It has room for a copy of the rotations of every take that a layer plays, in the rig's order, and
 * copies a sample when it is first needed: a worker that bakes some blocks holds only theirs. A joint that it blends
 * may be up to 1e-6 radians off after 32 layers.
 *
 * The base is blended in 64 bits, so that a performance comes through untouched where no layer acts; only where a
 * layer above it takes every joint through the kernel anyway, the base goes that way too.
 *
 * ```
 * 0         tables of the kernel
 * FACTORS   α where one serves all joints, and how far it is between two samples, 4 bytes each; then the same
 *           two as the tables were last written for
 * LISTS     byte offsets of the groups of a layer, 4 bytes each
 * alphas    α of four joints a group, 16 bytes each
 * pose      rotations, 64 bytes a group
 * out       rotations as the caller's pose has them, 32 bytes a joint
 * rest      the rest pose
 * tracks    the samples of each take, a row of groups each
 * ```
 */
export interface Kernel {
  readonly topology: Topology;
  readonly code: KernelCode;
  /** Bytes of a row: the groups of all joints. */
  readonly row: number;
  readonly lists: number;
  readonly alphas: number;
  readonly pose: number;
  readonly out: number;
  readonly rest: number;
  readonly factorValues: Float32Array;
  readonly listValues: Uint32Array;
  readonly alphaValues: Float32Array;
  readonly poseValues: Float32Array;
  readonly outValues: Float64Array;
  readonly restValues: Float32Array;
  /** The row whose rest pose `restValues` holds. */
  restOf: Float32Array | undefined;
  /** The samples of takes, by their rotations. */
  readonly tracks: ReadonlyMap<Track, readonly (KernelTrack | undefined)[]>;
  /** How many joints have their rotation in the kernel's pose, and no longer in that of the caller. */
  loadedCount: number;
  /** For each joint whether it is one of them; of use only where some are and some are not. */
  readonly loaded: Uint8Array;
}

/** The rotations of a take in the kernel. */
export interface KernelTrack {
  readonly rotations: Track;
  /** For each joint of the rig its entry in the samples, or -1. */
  readonly entries: Int32Array;
  /** Where the row of the first sample begins, and all rows as numbers. */
  readonly start: number;
  readonly rows: Float32Array;
  /** For each sample whether its row is written: 0 or 1. */
  readonly written: Uint8Array;
}

interface KernelCode {
  blendPose(
    groups: number,
    count: number,
    alphas: number,
    rowA: number,
    rowB: number,
    pose: number,
    reference: number,
  ): void;
  writePose(count: number, pose: number, out: number): void;
}

const FACTORS = 512;
const LISTS = 1024;
/** Bytes of a group of four joints. */
export const GROUP = 64;
const PAGE = 65536;

/** A take with the character that plays it. */
export interface TakeOn {
  readonly take: Take;
  readonly character: number;
}

/** The kernel that was made last, as long as a stack uses it. */
let latest: WeakRef<Kernel> | undefined;

/**
 * A kernel for the joints of a rig that holds some takes. The last one serves on as long as it holds them, since a frame is
 * evaluated to its end before another begins; otherwise a new one is made, and the old one's memory goes when no
 * stack uses it any more. Undefined where nothing needs it or the machine cannot run it.
 */
export function kernelFor(rig: Rig, takes: readonly TakeOn[]): Kernel | undefined {
  if (takes.length === 0) return undefined;
  const known = latest?.deref();
  const topology = topologyOf(rig);
  if (
    known?.topology === topology &&
    takes.every(({ take, character }) => known.tracks.get(take.rotations)?.[character])
  )
    return known;
  const code = kernelModule();
  if (!code) return undefined;
  const n = rig.joints.length;
  const groups = Math.ceil(n / 4);
  const row = groups * GROUP;
  // Padded so that what follows lies on multiples of 16 bytes.
  const alphas = LISTS + 16 * Math.ceil(groups / 4);
  const pose = alphas + 16 * groups;
  const out = pose + row;
  const restAt = out + 2 * row;
  const starts: (TakeOn & { readonly start: number })[] = [];
  let end = restAt + row;
  for (const { take, character } of takes) {
    if (starts.some((one) => one.take.rotations === take.rotations && one.character === character)) continue;
    starts.push({ take, character, start: end });
    end += take.count * row;
  }
  let memory: WebAssembly.Memory;
  try {
    memory = new WebAssembly.Memory({ initial: Math.ceil(end / PAGE) });
  } catch {
    // More than this machine gives at once: the plain path needs no second copy.
    return undefined;
  }
  const { exports } = new WebAssembly.Instance(code, { env: { memory } });
  new Float32Array(memory.buffer, FACTORS, 4).fill(Number.NaN);
  const tracks = new Map<Track, KernelTrack[]>();
  for (const { take, character, start } of starts) {
    const { rotations, count, rig: takeRig } = take;
    const known = tracks.get(rotations) ?? [];
    known[character] = {
      rotations,
      entries: trackEntries(rig, takeRig, rotations, character),
      start,
      rows: new Float32Array(memory.buffer, start, (count * row) / 4),
      written: new Uint8Array(count),
    };
    tracks.set(rotations, known);
  }
  const kernel: Kernel = {
    topology,
    code: exports as unknown as KernelCode,
    row,
    lists: LISTS,
    alphas,
    pose,
    out,
    rest: restAt,
    factorValues: new Float32Array(memory.buffer, FACTORS, 2),
    listValues: new Uint32Array(memory.buffer, LISTS, groups),
    alphaValues: new Float32Array(memory.buffer, alphas, 4 * groups),
    poseValues: new Float32Array(memory.buffer, pose, 16 * groups),
    outValues: new Float64Array(memory.buffer, out, 4 * n),
    restValues: new Float32Array(memory.buffer, restAt, 16 * groups),
    restOf: undefined,
    tracks,
    loaded: new Uint8Array(n),
    loadedCount: 0,
  };
  latest = new WeakRef(kernel);
  return kernel;
}

/** The rest pose of a stack as a row of the kernel. */
export function restRow(rest: Pose): Float32Array {
  const n = rest.rotations.length / 4;
  const row = new Float32Array((GROUP / 4) * Math.ceil(n / 4));
  writeRow(
    row,
    rest.rotations,
    0,
    Int32Array.from({ length: n }, (_, j) => j),
    0,
  );
  return row;
}

/** Where the row of a sample begins, in bytes. */
export function rowOf({ row }: Kernel, track: KernelTrack, sample: number): number {
  const { rotations, entries, start, rows, written } = track;
  if (written[sample] === 0) {
    writeRow(rows, rotations.values, 4 * rotations.joints.length * sample, entries, (sample * row) / 4);
    written[sample] = 1;
  }
  return start + sample * row;
}

/** Makes a rest pose that of the kernel: stacks whose props rest elsewhere share it. */
export function useRest(kernel: Kernel, row: Float32Array): void {
  if (kernel.restOf === row) return;
  kernel.restValues.set(row);
  kernel.restOf = row;
}

/** Writes a row of groups to `at` from quaternions at `from`; a joint without an entry stands still. */
function writeRow(
  out: Float32Array,
  values: Float64Array,
  from: number,
  entries: Int32Array,
  at: number,
): void {
  const padded = 4 * Math.ceil(entries.length / 4);
  for (let j = 0; j < padded; j++) {
    const o = at + placeOf(j);
    const entry = j < entries.length ? entries[j] : -1;
    for (let c = 0; c < 4; c++) out[o + 4 * c] = entry < 0 ? (c === 3 ? 1 : 0) : values[from + 4 * entry + c];
  }
}

/** Place of a joint's x in a row, in floats; y, z and w follow in steps of four. */
const placeOf = (j: number): number => 16 * (j >> 2) + (j & 3);

/** Lets the kernel know that the pose of the caller was written from start to end. */
export function forgetPose(kernel: Kernel): void {
  kernel.loadedCount = 0;
}

/** Brings the rotations that the kernel holds into the caller's pose, where they are about to be read or written. */
export function takeBack(kernel: Kernel, pose: Pose): void {
  const { outValues, loaded, loadedCount } = kernel;
  if (loadedCount === 0) return;
  kernel.code.writePose(kernel.row / GROUP, kernel.pose, kernel.out);
  if (loadedCount === loaded.length) pose.rotations.set(outValues);
  else {
    for (let j = 0; j < loaded.length; j++)
      if (loaded[j] === 1) for (let c = 4 * j; c < 4 * j + 4; c++) pose.rotations[c] = outValues[c];
  }
  forgetPose(kernel);
}

/** Starts from the rest pose in the kernel itself. */
export function holdRest(kernel: Kernel): void {
  kernel.poseValues.set(kernel.restValues);
  kernel.loadedCount = kernel.loaded.length;
}

/** Takes the rotation of a joint over from the caller's pose. */
export function hold(kernel: Kernel, j: number, pose: Pose): void {
  const { loaded, loadedCount } = kernel;
  if (loadedCount === loaded.length) return;
  if (loadedCount === 0) loaded.fill(0);
  if (loaded[j] === 1) return;
  const o = placeOf(j);
  for (let c = 0; c < 4; c++) kernel.poseValues[o + 4 * c] = pose.rotations[4 * j + c];
  loaded[j] = 1;
  kernel.loadedCount++;
}
