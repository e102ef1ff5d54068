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

/** Whether a piece ends with the line of a text from `line` to `end`. */
const endsWith = (text: string, begin: number, line: number, end: number): boolean =>
  // The high bits of the hash are mixed the best.
  end - begin >= LONGEST || (hashOf(text, line, end) >>> 8) % LINES === 0;

/** The pieces of a text that end where its lines say so. What `known` finds needs no look at its lines. */
function* cut(text: string, known?: KnownPieces): Generator<string> {
  let begin = 0;
  for (let line = 0; line < text.length; ) {
    const newline = text.indexOf('\n', line);
    const end = newline < 0 ? text.length : newline + 1;
    if (line === begin) {
      const piece = known?.at(text, begin, end);
      if (piece !== undefined) {
        yield piece;
        begin += piece.length;
        line = begin;
        continue;
      }
    }
    if (endsWith(text, begin, line, end)) {
      yield text.slice(begin, end);
      begin = end;
    }
    line = end;
  }
  if (begin < text.length) yield text.slice(begin);
}

/** The pieces of one text: their digests, and those that end by themselves by their first lines. */
interface Index {
  readonly digests: ReadonlyMap<string, string>;
  readonly byFirstLine: ReadonlyMap<string, readonly string[]>;
}

/** Texts that do not change from one state to the next are looked through once. */
const indices = new WeakMap<PiecedText, Index>();

function indexOf(text: PiecedText): Index {
  let index = indices.get(text);
  if (!index) {
    const digests = new Map<string, string>();
    const byFirstLine = new Map<string, string[]>();
    for (const [digest, piece] of text.pieces) {
      digests.set(piece, digest);
      if (!endsByItself(piece)) continue;
      const first = piece.slice(0, piece.indexOf('\n') + 1);
      const others = byFirstLine.get(first);
      if (others) others.push(piece);
      else byFirstLine.set(first, [piece]);
    }
    index = { digests, byFirstLine };
    indices.set(text, index);
  }
  return index;
}

/** Pieces that were there before. */
export class KnownPieces {
  private readonly all: readonly Index[];

  constructor(texts: readonly PiecedText[]) {
    this.all = texts.map(indexOf);
  }

  digestOf(piece: string): string | undefined {
    for (const { digests } of this.all) {
      const digest = digests.get(piece);
      if (digest !== undefined) return digest;
    }
    return undefined;
  }

  /** The piece with which a text goes on at `begin`, where its first line ends at `end`. */
  at(text: string, begin: number, end: number): string | undefined {
    const first = text.slice(begin, end);
    for (const { byFirstLine } of this.all) {
      // Strings are compared many characters at once, which `startsWith` does not do.
      const piece = byFirstLine.get(first)?.find((one) => text.slice(begin, begin + one.length) === one);
      if (piece !== undefined) return piece;
    }
    return undefined;
  }
}

/** Whether a piece ends where it does whatever follows it, as the last one of a text need not. */
function endsByItself(piece: string): boolean {
  const line = piece.lastIndexOf('\n', piece.length - 2) + 1;
  return piece.endsWith('\n') && endsWith(piece, 0, line, piece.length);
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

/**
 * Puts a text into pieces. A list says in front how deep it is: 1 of texts, 2 of lists of texts, and so on. What is
 * `known` is not worked out again: most pieces of an edited text are those of the text before.
 */
export function inPieces(text: string, known?: KnownPieces): PiecedText {
  const pieces = new Map<string, string>();
  const add = (piece: string): string => {
    const digest = known?.digestOf(piece) ?? digestOfText(piece);
    pieces.set(digest, piece);
    return digest;
  };
  let digests = [...cut(text, known)].map(add);
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
