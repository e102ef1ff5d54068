import { z } from 'zod';
import { FileError } from '../error.js';
import { parseJson } from '../json.js';
import { listOf, readBy } from '../schema.js';

/** What a review file holds beside the page that it is. */
export interface ReviewFile {
  /** Tells it from other reviews in a browser that keeps notes of several. */
  readonly id: string;
  readonly name: string;
  /** The project, as an `.evlay` file. */
  readonly project: Uint8Array;
  /** Names of the variants that are shown, and ids of the layers that can be turned. */
  readonly variants: readonly string[];
  readonly layers: readonly string[];
}

export const REVIEW_VERSION = 1;

const reviewSchema = z.strictObject({
  format: z.literal('evlay-review'),
  version: z.int().positive(),
  id: z.string().min(1),
  name: z.string(),
  variants: listOf(z.string()),
  layers: listOf(z.string()),
  project: z.string(),
});

/** Where the page has room for what it shows. */
const ROOM = '<script id="evlay-review" type="application/json"></script>';

/**
 * Makes a review file: one HTML page that needs neither network nor server, of the page as it was built and what it shows.
 * Throws where the page has no room for that.
 */
export function writeReview(page: string, { project, ...file }: ReviewFile): string {
  const at = page.indexOf(ROOM);
  if (at < 0) throw new FileError('review page', 'it has no room for what it shows, expected the built page');
  const json = JSON.stringify({
    format: 'evlay-review',
    version: REVIEW_VERSION,
    ...file,
    project: base64Of(project),
  });
  // Nothing that is written in it can end the script that holds it.
  const safe = json.replaceAll('<', '\\u003c');
  return `${page.slice(0, at)}${ROOM.replace('></script>', `>${safe}</script>`)}${page.slice(at + ROOM.length)}`;
}

/** Reads what a review file shows. Throws {@link FileError}, also where a later Evlay wrote it. */
export function readReview(text: string): ReviewFile {
  const json = parseJson(text, 'what a review shows') as { version?: unknown } | null;
  const version = json?.version;
  if (typeof version === 'number' && version > REVIEW_VERSION)
    throw new FileError(
      'version',
      `it has version ${version}, which a later Evlay wrote, expected ${REVIEW_VERSION}`,
    );
  const { format: _, version: __, project, ...file } = readBy(reviewSchema, json, 'review');
  return { ...file, project: Uint8Array.from(atob(project), (char) => char.charCodeAt(0)) };
}

/** Bytes that are made text at once: more arguments than a function can have are refused. */
const AT_ONCE = 0x8000;

function base64Of(bytes: Uint8Array): string {
  let text = '';
  for (let k = 0; k < bytes.length; k += AT_ONCE)
    text += String.fromCharCode(...bytes.subarray(k, k + AT_ONCE));
  return btoa(text);
}
