import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex } from '@noble/hashes/utils.js';

/**
 * A text in pieces of some thousand characters, each under the digest of what it says, with a list of them that is a piece
 * itself. Where a piece ends is found from its own lines, so that a text with a line changed has all pieces but one or two
 * of the text before: many states of a project take little more room than one.
 */
export interface PiecedText {
  /** The digest of the list: what names the text. */
  readonly list: string;
  /** All pieces by their digests, the list among them. */
  readonly pieces: ReadonlyMap<string, string>;
}

const encoder = new TextEncoder();

/** Characters of a digest: half of a SHA-256, which no two pieces of one browser share by chance. */
const DIGEST = 32;

const digestOfText = (text: string): string => bytesToHex(sha256(encoder.encode(text))).slice(0, DIGEST);

/** A piece ends after one line in so many, by its hash, and at the latest after so many characters. */
const LINES = 128;
const LONGEST = 32768;

/** Fowler, Noll and Vo's hash of a part of a text (FNV-1a, 32 bits). */
function hashOf(text: string, from: number, to: number): number {
  let hash = 0x811c9dc5;
  for (let i = from; i < to; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193);
  return hash >>> 0;
}

/** The pieces of a text that end where its lines say so. */
function* cut(text: string): Generator<string> {
  let begin = 0;
  for (let line = 0; line < text.length; ) {
    const newline = text.indexOf('\n', line);
    const end = newline < 0 ? text.length : newline + 1;
    // The high bits of the hash are mixed the best.
    if (end - begin >= LONGEST || (hashOf(text, line, end) >>> 8) % LINES === 0) {
      yield text.slice(begin, end);
      begin = end;
    }
    line = end;
  }
  if (begin < text.length) yield text.slice(begin);
}

/** Digests that one list holds about, and from how many on a list is one of lists. */
const LISTED = 16;
const LONG_LIST = 48;

/** The groups in which digests are listed: they end where the digests themselves say so. */
function* grouped(digests: readonly string[]): Generator<readonly string[]> {
  let begin = 0;
  for (let k = 0; k < digests.length; k++) {
    if (Number.parseInt(digests[k].slice(0, 6), 16) % LISTED !== 0 && k - begin < 8 * LISTED) continue;
    yield digests.slice(begin, k + 1);
    begin = k + 1;
  }
  if (begin < digests.length) yield digests.slice(begin);
}

/** The digests of pieces by what they say. */
export function digestsOf(texts: readonly PiecedText[]): ReadonlyMap<string, string> {
  const digests = new Map<string, string>();
  for (const { pieces } of texts) for (const [digest, piece] of pieces) digests.set(piece, digest);
  return digests;
}

/**
 * Puts a text into pieces. A list says in front how deep it is: 1 of texts, 2 of lists of texts, and so on. Digests that are `known` are
 * not worked out again: most pieces of an edited text are those of the text before.
 */
export function inPieces(text: string, known?: ReadonlyMap<string, string>): PiecedText {
  const pieces = new Map<string, string>();
  const add = (piece: string): string => {
    const digest = known?.get(piece) ?? digestOfText(piece);
    pieces.set(digest, piece);
    return digest;
  };
  let digests = [...cut(text)].map(add);
  let depth = 1;
  for (; digests.length > LONG_LIST; depth++)
    digests = [...grouped(digests)].map((group) => add(listOf(depth, group)));
  return { list: add(listOf(depth, digests)), pieces };
}

const listOf = (depth: number, digests: readonly string[]): string => [depth, ...digests].join(' ');

/** Whether a list is one of lists, and the digests that it names. */
export function namedIn(listed: string): { readonly lists: boolean; readonly digests: readonly string[] } {
  const [depth, ...digests] = listed.split(' ');
  return { lists: Number(depth) > 1, digests };
}

/** All pieces that a list names, itself among them; those that are missing too. */
export function piecesOf(list: string, pieceOf: (digest: string) => string | undefined): string[] {
  const { lists, digests } = namedIn(pieceOf(list) ?? '1');
  return [list, ...(lists ? digests.flatMap((digest) => piecesOf(digest, pieceOf)) : digests)];
}

/** The text of a list of pieces; undefined where a piece is missing. */
export function textOf(list: string, pieceOf: (digest: string) => string | undefined): string | undefined {
  const listed = pieceOf(list);
  if (listed === undefined) return undefined;
  const { lists, digests } = namedIn(listed);
  const all = digests.map((digest) => (lists ? textOf(digest, pieceOf) : pieceOf(digest)));
  return all.includes(undefined) ? undefined : all.join('');
}
