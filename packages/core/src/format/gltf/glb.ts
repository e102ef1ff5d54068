import { decodeText, FileError } from '../error.js';

/** The parts of a binary glTF 2.0 file (section 4.4 of the specification). */
export interface GlbParts {
  /** The text of the JSON chunk, without padding. */
  readonly json: string;
  /** The BIN chunk, padding included; empty where there is none. */
  readonly bin: Uint8Array;
  /** Chunks of other kinds, as they came: kind and content. */
  readonly others: readonly { readonly kind: number; readonly bytes: Uint8Array }[];
}

const MAGIC = 0x46546c67;
const JSON_CHUNK = 0x4e4f534a;
const BIN_CHUNK = 0x004e4942;

/** Whether a file starts like a binary glTF file. */
export const isGlb = (bytes: Uint8Array): boolean => bytes.length >= 12 && wordAt(bytes, 0) === MAGIC;

const wordAt = (bytes: Uint8Array, at: number): number =>
  new DataView(bytes.buffer, bytes.byteOffset).getUint32(at, true);

/** Whether a binary glTF file has a surface that joints bend. Throws {@link FileError} where it is none. */
export const hasSkin = (bytes: Uint8Array): boolean =>
  (JSON.parse(splitGlb(bytes).json) as { skins?: readonly unknown[] }).skins?.length !== undefined;

/** Takes a binary glTF file apart; the parts are views of it. Throws {@link FileError}. */
export function splitGlb(bytes: Uint8Array): GlbParts {
  if (!isGlb(bytes)) throw new FileError('', 'this is not a binary glTF file, expected a .glb');
  if (wordAt(bytes, 4) !== 2)
    throw new FileError('', `the glTF file has container version ${wordAt(bytes, 4)}, expected 2`);
  const chunks: { kind: number; bytes: Uint8Array }[] = [];
  const end = Math.min(bytes.length, wordAt(bytes, 8));
  for (let at = 12; at + 8 <= end; ) {
    const length = wordAt(bytes, at);
    const kind = wordAt(bytes, at + 4);
    if (at + 8 + length > bytes.length)
      throw new FileError(
        `byte ${at}`,
        `the file ends inside a chunk of ${length} bytes, expected all of it`,
      );
    chunks.push({ kind, bytes: bytes.subarray(at + 8, at + 8 + length) });
    at += 8 + length;
  }
  if (chunks[0]?.kind !== JSON_CHUNK) throw new FileError('', 'the first chunk is not JSON, expected a .glb');
  const hasBin = chunks[1]?.kind === BIN_CHUNK;
  return {
    json: decodeText(chunks[0].bytes, 'glTF in JSON').trimEnd(),
    bin: hasBin ? chunks[1].bytes : new Uint8Array(0),
    others: chunks.slice(hasBin ? 2 : 1),
  };
}

const padded = (length: number): number => (length + 3) & ~3;

/** What stands before the content of the BIN chunk, and behind it, in a file whose BIN chunk is `length` bytes long. */
export interface GlbFrame {
  readonly before: Uint8Array<ArrayBuffer>;
  readonly after: Uint8Array<ArrayBuffer>;
}

/** The frame of a binary glTF file: JSON is padded with spaces, everything else with zeros, to whole words. */
export function frameGlb({ json, others }: Omit<GlbParts, 'bin'>, length: number): GlbFrame {
  const text = chunkOf(JSON_CHUNK, new TextEncoder().encode(json), 0x20);
  const header = new Uint8Array(12);
  const binHeader = length > 0 ? headerOf(BIN_CHUNK, padded(length)) : new Uint8Array(0);
  const padding = new Uint8Array(padded(length) - length);
  const after = joined([padding, ...others.map(({ kind, bytes }) => chunkOf(kind, bytes, 0))]);
  const before = joined([header, text, binHeader]);
  const view = new DataView(before.buffer);
  view.setUint32(0, MAGIC, true);
  view.setUint32(4, 2, true);
  view.setUint32(8, before.length + length + after.length, true);
  return { before, after };
}

/** Puts a binary glTF file together. */
export function joinGlb({ bin, ...parts }: GlbParts): Uint8Array<ArrayBuffer> {
  const { before, after } = frameGlb(parts, bin.length);
  return joined([before, bin, after]);
}

function headerOf(kind: number, length: number): Uint8Array {
  const out = new Uint8Array(8);
  const view = new DataView(out.buffer);
  view.setUint32(0, length, true);
  view.setUint32(4, kind, true);
  return out;
}

function chunkOf(kind: number, bytes: Uint8Array, padding: number): Uint8Array {
  const end = new Uint8Array(padded(bytes.length) - bytes.length).fill(padding);
  return joined([headerOf(kind, padded(bytes.length)), bytes, end]);
}

function joined(buffers: readonly Uint8Array[]): Uint8Array<ArrayBuffer> {
  const out = new Uint8Array(buffers.reduce((sum, { length }) => sum + length, 0));
  let at = 0;
  for (const buffer of buffers) {
    out.set(buffer, at);
    at += buffer.length;
  }
  return out;
}
