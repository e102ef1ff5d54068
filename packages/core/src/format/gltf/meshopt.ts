import { MeshoptDecoder } from 'meshoptimizer/decoder';
import { FileError } from '../error.js';
import { checkLimit, LIMITS } from '../limits.js';

/** How the bytes of a buffer view are packed (EXT_meshopt_compression, and KHR_meshopt_compression, which has the same fields). */
export interface Meshopt {
  readonly buffer: number;
  readonly byteOffset?: number;
  readonly byteLength: number;
  readonly byteStride: number;
  readonly count: number;
  readonly mode: string;
  readonly filter?: string;
}

export const MESHOPT = ['EXT_meshopt_compression', 'KHR_meshopt_compression'] as const;

const MODES = ['ATTRIBUTES', 'TRIANGLES', 'INDICES'];
const FILTERS = ['NONE', 'OCTAHEDRAL', 'QUATERNION', 'EXPONENTIAL', 'COLOR'];
/** Bytes that an element has at most. */
const WIDEST = 256;

/**
 * Waited for before a file is read that may be packed: the package brings some kilobytes of WebAssembly along, which are
 * compiled once. From then on views are unpacked at once.
 */
export const meshoptReady: Promise<void> = MeshoptDecoder.ready;

/** The bytes of a view, unpacked, after {@link meshoptReady}. Throws {@link FileError} at `where` for what cannot be. */
export function unpacked(packed: Meshopt, bytes: Uint8Array, where: string): Uint8Array {
  const { byteOffset = 0, byteLength, byteStride, count, mode, filter } = packed;
  const whole = (value: number, most: number) => Number.isInteger(value) && value >= 0 && value <= most;
  if (!MODES.includes(mode) || (filter !== undefined && !FILTERS.includes(filter)))
    throw new FileError(
      where,
      `it is packed in the mode ${mode}, filter ${filter ?? 'NONE'}, which is unknown`,
    );
  if (!whole(byteStride, WIDEST) || !whole(count, LIMITS.values) || !whole(byteOffset, bytes.length))
    throw new FileError(
      where,
      `${count} elements of ${byteStride} bytes, expected whole numbers in the file`,
    );
  checkLimit(where, count * byteStride, 4 * LIMITS.values, 'bytes');
  if (!whole(byteLength, bytes.length - byteOffset))
    throw new FileError(where, `${byteLength} packed bytes are claimed, expected them in its buffer`);
  const out = new Uint8Array(count * byteStride);
  try {
    const source = bytes.subarray(byteOffset, byteOffset + byteLength);
    MeshoptDecoder.decodeGltfBuffer(out, count, byteStride, source, mode, filter ?? 'NONE');
  } catch {
    throw new FileError(where, 'its packed bytes cannot be read, expected those of meshopt');
  }
  return out;
}

/** How a buffer view is packed; undefined where it is plain. */
export function meshoptOf(view: { readonly extensions?: unknown }): Meshopt | undefined {
  const extensions = view.extensions as Readonly<Record<string, Meshopt>> | undefined;
  for (const name of MESHOPT) if (extensions && Object.hasOwn(extensions, name)) return extensions[name];
  return undefined;
}
