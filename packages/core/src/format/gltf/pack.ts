import { decodeText, FileError, quote } from '../error.js';
import { checkSize, LIMITS } from '../limits.js';
import { type FindResource, resource } from './buffers.js';
import { isGlb, joinGlb, splitGlb } from './glb.js';
import { editJson } from './json-text.js';
import { MESHOPT } from './meshopt.js';
import { type Gltf, parseGltf } from './schema.js';

export interface Packed {
  readonly bytes: Uint8Array;
  readonly warnings: readonly string[];
}

/**
 * Makes one binary glTF file of a `.gltf` and the files that it names, or of a `.glb` that names files: buffers and
 * pictures come into the binary chunk, everything else stays as it is written. A file that names none comes back as it
 * is. A picture that is missing is a warning, a buffer is an error. Throws {@link FileError}.
 */
export function packGltf(file: Uint8Array, find: FindResource = () => undefined): Packed {
  const glb = isGlb(file);
  const parts = glb
    ? splitGlb(file)
    : {
        json: decodeText(file, 'a .gltf in JSON'),
        bin: new Uint8Array(0),
        others: [],
      };
  const gltf = parseGltf(parts.json);
  const buffers = gltf.buffers ?? [];
  const images = gltf.images ?? [];
  const outside = (uri: string | undefined) => uri !== undefined && !(glb && uri.startsWith('data:'));
  const whole = glb && (buffers.length === 0 || buffers[0].uri === undefined);
  if (whole && !buffers.some(({ uri }) => outside(uri)) && !images.some(({ uri }) => outside(uri)))
    return { bytes: file, warnings: [] };

  const warnings: string[] = [];
  const edits = editJson(parts.json);
  const chunks: Uint8Array[] = [];
  let length = 0;
  const put = (bytes: Uint8Array): number => {
    const at = length;
    chunks.push(bytes);
    length += (bytes.length + 3) & ~3;
    if (length > LIMITS.file) checkSize('buffers', length);
    return at;
  };
  // What stands in for packed views where nobody unpacks them has no bytes, and stays so.
  const fallbacks = buffers.flatMap((buffer, b) => (isFallback(buffer) ? [b] : []));
  const starts = buffers.map(({ uri, byteLength }, b) => {
    if (fallbacks.includes(b)) return 0;
    const bytes = uri === undefined ? parts.bin : resource(`buffers[${b}].uri`, uri, find);
    if (!bytes)
      throw new FileError(
        `buffers[${b}].uri`,
        `the file ${quote(uri ?? '')} is missing, expected it beside the .gltf`,
      );
    if (bytes.length < byteLength)
      throw new FileError(`buffers[${b}]`, `${bytes.length} bytes, expected ${byteLength}`);
    return put(bytes.subarray(0, byteLength));
  });
  const move = (place: (string | number)[], { buffer, byteOffset = 0 }: Placed) => {
    if (!(buffer < buffers.length))
      throw new FileError(`bufferViews[${place[1]}].buffer`, `there is no buffer ${buffer}`);
    const to = fallbacks.includes(buffer) ? 1 + fallbacks.indexOf(buffer) : 0;
    if (buffer !== to) edits.set([...place, 'buffer'], to);
    if (starts[buffer] !== 0) edits.set([...place, 'byteOffset'], starts[buffer] + byteOffset);
  };
  for (const [v, view] of (gltf.bufferViews ?? []).entries()) {
    move(['bufferViews', v], view);
    for (const name of MESHOPT) {
      const packed = (view.extensions as Readonly<Record<string, Placed>> | undefined)?.[name];
      if (packed) move(['bufferViews', v, 'extensions', name], packed);
    }
  }
  packImages(gltf, find, put, edits, warnings);
  edits.set(['buffers'], [{ byteLength: length }, ...fallbacks.map((b) => buffers[b])]);
  const bin = new Uint8Array(length);
  let at = 0;
  for (const chunk of chunks) {
    bin.set(chunk, at);
    at += (chunk.length + 3) & ~3;
  }
  return { bytes: joinGlb({ json: edits.text(), bin, others: parts.others }), warnings };
}

/** Where something lies in a buffer. */
interface Placed {
  readonly buffer: number;
  readonly byteOffset?: number;
}

const isFallback = ({ uri, extensions }: { readonly uri?: string; readonly extensions?: unknown }): boolean =>
  uri === undefined &&
  MESHOPT.some(
    (name) => (extensions as Readonly<Record<string, { fallback?: boolean }>> | undefined)?.[name]?.fallback,
  );

function packImages(
  gltf: Gltf,
  find: FindResource,
  put: (bytes: Uint8Array) => number,
  edits: ReturnType<typeof editJson>,
  warnings: string[],
): void {
  const views: object[] = [];
  const missing: string[] = [];
  /** Where the file that a URI names was put, since one may be named again and again. */
  const known = new Map<string, object>();
  for (const [i, { uri }] of (gltf.images ?? []).entries()) {
    if (uri === undefined) continue;
    const bytes = resource(`images[${i}].uri`, uri, find);
    if (!bytes) {
      missing.push(uri);
      continue;
    }
    edits.remove(['images', i, 'uri']);
    edits.set(['images', i, 'bufferView'], (gltf.bufferViews?.length ?? 0) + views.length);
    edits.set(['images', i, 'mimeType'], mimeOf(bytes));
    const view = known.get(uri) ?? { buffer: 0, byteOffset: put(bytes), byteLength: bytes.length };
    known.set(uri, view);
    views.push(view);
  }
  edits.append('bufferViews', views);
  for (const uri of missing.slice(0, WARNED))
    warnings.push(`the picture ${quote(uri)} is missing; the character is shown without it`);
  if (missing.length > WARNED) warnings.push(`${missing.length - WARNED} more pictures are missing`);
}

/** More pictures than these that are missing are counted, not named. */
const WARNED = 10;

const mimeOf = (bytes: Uint8Array): string =>
  bytes[0] === 0xff ? 'image/jpeg' : bytes[0] === 0x52 ? 'image/webp' : 'image/png';
