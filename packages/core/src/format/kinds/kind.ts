import type { MotionKeys } from '../../keys/motion-keys.js';
import type { Rig } from '../../rig/rig.js';
import type { FindResource } from '../gltf/buffers.js';
import type { ReadCharacter } from '../gltf/character.js';
import type { KeysFile, MotionFormat } from '../motion-file.js';
import type { ReadTake } from '../take-read.js';

/** A kind of file: how it is told from others, what is read from it and what is written to it. */
export interface FileKind {
  /** Names it, as its ending does without the point. */
  readonly id: string;
  /** What people call it. */
  readonly name: string;
  readonly ending: string;
  /** What a file of it is, in words for people: "a motion". */
  readonly what: string;
  /** Text or bytes with which a file of it begins, behind a byte-order mark and blanks, in any case; none where others do too. */
  readonly begins?: string;
  /** Which of several dropped files is opened: that of the lowest number, and none without one. */
  readonly opens?: number;
  /** Endings of files that come along with it. */
  readonly beside?: readonly string[];
  /** Reads a performance; `clip` names one of several. Throws `FileError`. */
  readonly readTake?: (
    file: string,
    bytes: Uint8Array,
    clip: string | undefined,
    id: string,
  ) => ReadTake | Promise<ReadTake>;
  /** Reads a character with its performances. Throws `FileError`. */
  readonly readCharacter?: (file: string, bytes: Uint8Array, find: FindResource) => Promise<ReadCharacter>;
  readonly writes?: MotionWriter;
}

/** When the samples of a motion are: `count` of them, `interval` seconds apart, the first on a frame, `step` frames apart. */
export interface WrittenTimes {
  readonly count: number;
  readonly interval: number;
  readonly first: number;
  readonly step: number;
}

/** How a motion is written. */
export interface WriteOptions {
  /** What the motion is called in the file. */
  readonly name: string;
  readonly metresPerUnit: number;
  /** The number that people see for frame 0, for files that name frames. */
  readonly first?: number;
  /** Whether props go along. */
  readonly props?: boolean;
  /** The vertical field of view, in degrees, of the props that are cameras, by name. */
  readonly cameras?: Readonly<Record<string, number>>;
  /** The file on which the motion is put: that of the character, or one that was written before. */
  readonly onto?: Uint8Array;
}

/** What of a motion a kind of file takes, and how it is written. */
export interface MotionWriter {
  /** What it is for and what it leaves out, in words for people. */
  readonly about: string;
  readonly format: (rig: Rig, times: WrittenTimes, options: WriteOptions) => MotionFormat;
  /** A file of few keys; why there is none, in words for people, where every sample is written. */
  readonly keys: ((rig: Rig, keys: MotionKeys, options: WriteOptions) => KeysFile) | string;
  /** Whether it holds scales, and face channels. */
  readonly scales: boolean;
  readonly faces: boolean;
  /** Whether props can go along; why not, where they cannot. */
  readonly props: true | string;
  /** What of a rig it has no place for whatever moves, in sentences for people. */
  readonly loses?: (rig: Rig) => readonly string[];
  /** Whether the motion is put on the file of the character, where there is one. */
  readonly onCharacter: boolean;
  /** Whether one file holds several motions of one character. */
  readonly several: boolean;
  /** About how many bytes so many samples of so many joints take. */
  readonly bytesOf: (joints: number, count: number) => number;
  /** Bytes that a file has at most. */
  readonly most: number;
}
