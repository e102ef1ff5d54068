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

/** Puts a binary glTF file together: JSON padded with spaces, everything else with zeros, to whole words. */
export function joinGlb({ json, bin, others }: GlbParts): Uint8Array<ArrayBuffer> {
  const chunks = [
    { kind: JSON_CHUNK, bytes: new TextEncoder().encode(json), padding: 0x20 },
    ...(bin.length > 0 ? [{ kind: BIN_CHUNK, bytes: bin, padding: 0 }] : []),
    ...others.map((other) => ({ ...other, padding: 0 })),
  ];
  const length = 12 + chunks.reduce((sum, { bytes }) => sum + 8 + padded(bytes.length), 0);
  const out = new Uint8Array(length);
  const view = new DataView(out.buffer);
  view.setUint32(0, MAGIC, true);
  view.setUint32(4, 2, true);
  view.setUint32(8, length, true);
  let at = 12;
  for (const { kind, bytes, padding } of chunks) {
    view.setUint32(at, padded(bytes.length), true);
    view.setUint32(at + 4, kind, true);
    out.set(bytes, at + 8);
    out.fill(padding, at + 8 + bytes.length, at + 8 + padded(bytes.length));
    at += 8 + padded(bytes.length);
  }
  return out;
}
