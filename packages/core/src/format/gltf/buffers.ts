import { cut, FileError, quote } from '../error.js';
import { checkSize } from '../limits.js';

/** Finds a file beside a `.gltf` by the name that it is called there. Undefined where there is none. */
export type FindResource = (name: string) => Uint8Array | undefined;

/**
 * The bytes that a URI stands for: those written in it (RFC 2397), or a file. `where` is the place of the URI. Throws
 * {@link FileError} where it cannot be read.
 */
export function resource(where: string, uri: string, find: FindResource): Uint8Array | undefined {
  if (uri.startsWith('data:')) return dataOf(where, uri);
  const found = find(decoded(uri).replace(/^\.\//, '')) ?? find(uri);
  if (found) checkSize(`${where}: ${cut(uri)}`, found.length);
  return found;
}

/** A text that is percent-encoded; as it is where it is not. */
function decoded(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}

function dataOf(where: string, uri: string): Uint8Array {
  const comma = uri.indexOf(',');
  if (comma < 0) throw new FileError(where, `${quote(uri)} has no data, expected a comma in front of it`);
  const data = uri.slice(comma + 1);
  if (
    !uri
      .slice(Math.max(0, comma - 7), comma)
      .toLowerCase()
      .endsWith(';base64')
  )
    return new TextEncoder().encode(decoded(data));
  let text: string;
  try {
    text = atob(data);
  } catch {
    throw new FileError(where, 'the data is not base64, expected it to be');
  }
  const bytes = new Uint8Array(text.length);
  for (let k = 0; k < bytes.length; k++) bytes[k] = text.charCodeAt(k);
  return bytes;
}
