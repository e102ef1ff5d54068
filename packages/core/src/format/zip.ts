import { inflateSync } from 'fflate';
import { cut, FileError, quote } from './error.js';
import { checkLimit, checkSize, checkUnpacked, LIMITS } from './limits.js';

/** The first day that a zip can name (PKWARE APPNOTE 6.3.3, 4.4.6), at noon: with it the same files make the same zip. */
export const ZIP_DAY = new Date(1980, 0, 1, 12);

/** A file of a zip. */
export interface ZipEntry {
  readonly name: string;
  readonly bytes: Uint8Array;
}

/**
 * Unpacks a zip (PKWARE APPNOTE 6.3.3, sections 4.3.7 to 4.3.16; stored or deflated) and compares every file with its
 * checksum and its name with the one in the list. Folders are left out. Throws {@link FileError} that names the zip and the file in it; `expected` is what it
 * should have been.
 */
export function unzip(file: string, bytes: Uint8Array, expected: string): ZipEntry[] {
  checkSize(file, bytes.length);
  const entries = directory(file, bytes, expected);
  checkUnpacked(
    file,
    bytes.length,
    entries.reduce((sum, entry) => sum + entry.size, 0),
  );
  return entries.flatMap((entry) => (entry.name.endsWith('/') ? [] : [unpack(file, bytes, entry)]));
}

interface Listed {
  readonly name: string;
  readonly method: number;
  readonly checksum: number;
  readonly packed: number;
  readonly size: number;
  readonly at: number;
}

const END = 0x06054b50;
const CENTRAL = 0x02014b50;
const LOCAL = 0x04034b50;

/** What the central directory lists. */
function directory(file: string, bytes: Uint8Array, expected: string): Listed[] {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  const damaged = () => new FileError(file, `this is not ${expected}`);
  let end = bytes.length - 22;
  for (const first = Math.max(0, end - 0xffff); end >= first; end--)
    if (view.getUint32(end, true) === END) break;
  if (end < 0 || view.getUint32(end, true) !== END) throw damaged();
  const count = view.getUint16(end + 10, true);
  checkLimit(file, count, LIMITS.entries, 'files in the zip');
  const entries: Listed[] = [];
  let at = view.getUint32(end + 16, true);
  for (let k = 0; k < count; k++) {
    if (at + 46 > end || view.getUint32(at, true) !== CENTRAL) throw damaged();
    const [nameLength, extra, comment] = [28, 30, 32].map((o) => view.getUint16(at + o, true));
    if (at + 46 + nameLength > end) throw damaged();
    const entry: Listed = {
      name: new TextDecoder().decode(bytes.subarray(at + 46, at + 46 + nameLength)),
      method: view.getUint16(at + 10, true),
      checksum: view.getUint32(at + 16, true),
      packed: view.getUint32(at + 20, true),
      size: view.getUint32(at + 24, true),
      at: view.getUint32(at + 42, true),
    };
    const place = `${file}: ${cut(entry.name)}`;
    checkLimit(place, entry.name.length, LIMITS.name, 'characters in a name');
    if (view.getUint16(at + 8, true) & 1)
      throw new FileError(place, 'it is encrypted, expected a zip without a password');
    if (entry.method !== 0 && entry.method !== 8)
      throw new FileError(place, `it is packed by method ${entry.method}, expected stored or deflated`);
    if (entries.some(({ name }) => name === entry.name))
      throw new FileError(place, `the zip has two files of the name ${quote(entry.name)}`);
    entries.push(entry);
    at += 46 + nameLength + extra + comment;
  }
  return entries;
}

/** Deflate makes of a byte at most 1032 (two bits a length of 258). */
const MOST_DEFLATED = 1032;

function unpack(
  file: string,
  bytes: Uint8Array,
  { name, method, checksum, packed, size, at }: Listed,
): ZipEntry {
  const damaged = () =>
    new FileError(`${file}: ${cut(name)}`, 'it is damaged: it is not what its checksum says');
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  if (at + 30 > bytes.length || view.getUint32(at, true) !== LOCAL) throw damaged();
  const start = at + 30 + view.getUint16(at + 26, true) + view.getUint16(at + 28, true);
  if (start + packed > bytes.length || size > MOST_DEFLATED * packed + 64) throw damaged();
  const own = new TextDecoder().decode(bytes.subarray(at + 30, at + 30 + view.getUint16(at + 26, true)));
  if (own !== name)
    throw new FileError(`${file}: ${cut(name)}`, `it is damaged: the file itself is called ${quote(own)}`);
  const content = bytes.subarray(start, start + packed);
  let unpacked: Uint8Array;
  try {
    unpacked = method === 0 ? new Uint8Array(content) : inflateSync(content, { out: new Uint8Array(size) });
  } catch {
    throw damaged();
  }
  if (unpacked.length !== size || checksumOf(unpacked) !== checksum) throw damaged();
  return { name, bytes: unpacked };
}

const TABLE = Int32Array.from({ length: 256 }, (_, byte) => {
  let value = byte;
  for (let bit = 0; bit < 8; bit++) value = value & 1 ? (value >>> 1) ^ 0xedb88320 : value >>> 1;
  return value;
});

/** CRC-32 (ISO 3309, as in section 4.4.7 of the note). */
function checksumOf(bytes: Uint8Array): number {
  let value = -1;
  for (let k = 0; k < bytes.length; k++) value = TABLE[(value ^ bytes[k]) & 0xff] ^ (value >>> 8);
  return ~value >>> 0;
}
