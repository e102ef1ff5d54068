import { MOST_KEYS } from '../layer/project.js';
import { FileError } from './error.js';

/**
 * How much of a file is read, whatever it claims. Time and memory grow with the size of a file up to these limits;
 * beyond them it is refused with the limit and the size that was found. `docs/limits.md` says why they are what they are.
 */
export const LIMITS = {
  /** Bytes of a file, or of all files of a set together: a text file is held as bytes, as text and as samples at once. */
  file: 256 * 1024 * 1024,
  /** Bytes that a zip unpacks to. */
  unpacked: 512 * 1024 * 1024,
  /** How many times larger than its zip that may be, above 64 MB. */
  unpacking: 100,
  /** Entries of a zip. */
  entries: 10_000,
  /** Values in a JSON text: numbers, texts, lists and objects. */
  jsonValues: 6_000_000,
  /** Lists and objects of a JSON text within each other. */
  nesting: 128,
  /** White space between two values of a JSON text, in characters. */
  blanks: 1_000_000,
  /** Joints of a skeleton. */
  joints: 4096,
  /** Morph targets of a mesh, and face channels of a character. */
  faces: 2000,
  /** Nodes of a glTF file. */
  nodes: 65_536,
  /** Animations of a glTF file. */
  animations: 4096,
  /** Layers of a stack. */
  layers: 1000,
  /** Props of a stack. */
  props: 200,
  /** Characters beside the rig, and points of a path. */
  characters: 32,
  points: 2_000,
  /** Targets of a layer, and spans of a limb in which it stands. */
  targets: 200,
  spans: 20_000,
  /** Keys of a stack in all of its curves. */
  keys: MOST_KEYS,
  /** Poses of a pose book. */
  poses: 10_000,
  /** Samples of a take: a day at 12 a second, two hours and a half at 120. */
  samples: 1_000_000,
  /** Numbers that the samples of a take hold. */
  values: 64_000_000,
  /** Numbers that the samples of a take hold where there are fewer in its file, because its keys are sampled. */
  sampledValues: 4_000_000,
  /** Characters of a name. */
  name: 1000,
  /** Size of any number of a pose or a curve. */
  magnitude: 1e15,
  /** Samples of a take a second. Frames of a project have limits of their own, `FASTEST_RATE` and `SLOWEST_RATE`. */
  rate: 100_000,
  /** How many times faster a layer may run. */
  speed: 10_000,
  /** The number of a frame. */
  frame: 1_000_000_000,
} as const;

/** Refuses what is over a limit. `what` names it in the plural: `joints`. */
export function checkLimit(where: string, found: number, limit: number, what: string): void {
  if (found <= limit) return;
  throw new FileError(where, `${count(found)} ${what}, up to ${count(limit)} are read`);
}

const count = (value: number): string =>
  Number.isFinite(value) ? Math.ceil(value).toLocaleString('en-GB') : 'endlessly many';

const megabytes = (bytes: number): string => `${count(bytes / 1024 / 1024)} MB`;

/** Refuses a file by its size alone. */
export function checkSize(name: string, size: number): void {
  if (size === 0) throw new FileError(name, 'the file is empty');
  if (size > LIMITS.file)
    throw new FileError(
      name,
      `the file has ${megabytes(size)}; files up to ${megabytes(LIMITS.file)} are read, because it is held in memory three times over`,
    );
}

/** Refuses a zip of `size` bytes by what it unpacks to. */
export function checkUnpacked(name: string, size: number, unpacked: number): void {
  const most = Math.min(LIMITS.unpacked, Math.max(LIMITS.file / 4, LIMITS.unpacking * size));
  if (unpacked > most)
    throw new FileError(name, `the zip unpacks to ${megabytes(unpacked)}, up to ${megabytes(most)} are read`);
}

/** Refuses a name that is too long to be one. */
export function checkName(where: string, name: string): void {
  checkLimit(where, name.length, LIMITS.name, 'characters in a name');
}
