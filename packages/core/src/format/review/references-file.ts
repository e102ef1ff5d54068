import { z } from 'zod';
import { decodeText, FileError } from '../error.js';
import { parseJson } from '../json.js';
import { LIMITS } from '../limits.js';
import { listOf, readBy } from '../schema.js';

/** Where a reference is seen: in a box of its own, over the view, or as a plate behind the characters while a camera is looked through. */
export const REFERENCE_PLACES = ['box', 'over', 'plate'] as const;

/** How a video or a picture is seen beside a performance. */
export interface ReferenceLook {
  readonly name: string;
  readonly kind: 'video' | 'picture';
  /** The frame of the project at which a video starts. */
  readonly offset: number;
  /** Which seconds of it are shown; to its end where undefined. */
  readonly from: number;
  readonly to?: number;
  /** Seconds of it for each second of the project. */
  readonly speed: number;
  readonly place: (typeof REFERENCE_PLACES)[number];
  /** How strongly it lies over the view, or is seen as a plate, 0 to 1. */
  readonly opacity: number;
}

/** A reference that goes along in a project file. */
export interface AttachedReference extends ReferenceLook {
  /** Of the kind `video/…` or `image/…`. */
  readonly type: string;
  readonly bytes: Uint8Array;
}

/** The second of a video that belongs to a frame of a project. */
export function secondOf({ offset, from, to, speed }: ReferenceLook, frame: number, fps: number): number {
  const second = from + (speed * (frame - offset)) / fps;
  return Math.min(to ?? Number.POSITIVE_INFINITY, Math.max(from, second));
}

/** The entry of a project file that says how references are seen; it may be missing. */
export const REFERENCES_JSON = 'references.json';

const seconds = z.number().min(0).max(1e6);
const schema = listOf(
  z.strictObject({
    file: z.string().max(LIMITS.name),
    type: z.string().regex(/^(video|image)\/[\w.+-]+$/, { error: 'expected a kind of video or picture' }),
    name: z.string().max(LIMITS.name),
    kind: z.enum(['video', 'picture']),
    offset: z.number().min(-1e7).max(1e7),
    from: seconds,
    to: seconds.optional(),
    speed: z.number().min(0.01).max(100),
    place: z.enum(REFERENCE_PLACES),
    opacity: z.number().min(0).max(1),
  }),
);

/** The entries of a project file for references: their files, and one that says how they are seen. None where there are none. */
export function referenceEntries(references: readonly AttachedReference[]): Record<string, Uint8Array> {
  if (references.length === 0) return {};
  const entries: Record<string, Uint8Array> = {};
  const list = references.map(({ bytes, ...look }, k) => {
    const ending = /\.[A-Za-z0-9]{1,5}$/.exec(look.name)?.[0] ?? '';
    const file = `references/${k + 1}${ending}`;
    entries[file] = bytes;
    return { file, ...look };
  });
  entries[REFERENCES_JSON] = new TextEncoder().encode(`${JSON.stringify(list, null, 2)}\n`);
  return entries;
}

/** The references of a project file. What is wrong with them is a warning: the project is whole without. */
export function referencesIn(entries: ReadonlyMap<string, Uint8Array>): {
  readonly references: AttachedReference[];
  readonly warnings: string[];
} {
  const json = entries.get(REFERENCES_JSON);
  if (!json) return { references: [], warnings: [] };
  try {
    const list = readBy(schema, parseJson(decodeText(json, 'JSON'), 'JSON'), 'the file');
    const warnings: string[] = [];
    const references = list.flatMap(({ file, ...look }) => {
      const bytes = entries.get(file);
      if (!bytes) warnings.push(`the reference "${look.name}" is missing: there is no "${file}"`);
      return bytes ? [{ ...look, bytes }] : [];
    });
    return { references, warnings };
  } catch (error) {
    if (!(error instanceof FileError)) throw error;
    return {
      references: [],
      warnings: [`"${REFERENCES_JSON}" cannot be read, references are left out: ${error.message}`],
    };
  }
}
