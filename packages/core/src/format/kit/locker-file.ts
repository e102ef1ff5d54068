import { strToU8, zipSync } from 'fflate';
import { z } from 'zod';
import { newId } from '../../id.js';
import { decodeText, FileError, inFile, quote } from '../error.js';
import { parseJson } from '../json.js';
import { LIMITS } from '../limits.js';
import { listOf, readBy } from '../schema.js';
import { unzip, ZIP_DAY } from '../zip.js';

/** What a locker keeps: kits and layers as kit files, takes and poses as theirs. */
export const LOCKER_KINDS = ['kit', 'layer', 'pose', 'take', 'character'] as const;
export type LockerKind = (typeof LOCKER_KINDS)[number];

/** Something that is kept across projects: a file, with what it is found by. */
export interface LockerItem {
  readonly id: string;
  readonly kind: LockerKind;
  readonly name: string;
  readonly tags: readonly string[];
  /** A small picture, as a data URL. */
  readonly picture?: string;
  /** The name of its file, by whose ending it is read, and its bytes. */
  readonly file: string;
  readonly bytes: Uint8Array;
}

export const LOCKER_ENDING = '.evlay-locker';

/** Things that a locker keeps at most, and characters of a picture. */
export const MOST_ITEMS = 2000;
const LONGEST_PICTURE = 200_000;

const name = z.string().min(1).max(LIMITS.name);
const lockerSchema = z.strictObject({
  format: z.literal('evlay-locker', { error: 'expected "evlay-locker"' }),
  version: z.literal(1, { error: 'expected version 1' }),
  items: listOf(
    z.strictObject({
      kind: z.enum(LOCKER_KINDS, { error: `expected a kind: ${LOCKER_KINDS.join(', ')}` }),
      name,
      tags: listOf(name).optional(),
      // A picture is nothing but a picture, whatever somebody wrote there.
      picture: z
        .string()
        .max(LONGEST_PICTURE)
        .regex(/^data:image\/(png|jpeg|webp);base64,[A-Za-z0-9+/=]*$/, {
          error: 'expected a picture as a data URL',
        })
        .optional(),
      file: name,
    }),
  ).refine((items) => items.length <= MOST_ITEMS, { error: `expected up to ${MOST_ITEMS} things` }),
});

const LIST = 'locker.json';

/** Writes a locker, `NAME.evlay-locker`: a zip of a list and of the files of what is in it. */
export function writeLocker(items: readonly LockerItem[]): Uint8Array<ArrayBuffer> {
  const entries: Record<string, Uint8Array> = {};
  const used = new Set<string>([LIST]);
  const list = items.map(({ kind, name: own, tags, picture, file, bytes }) => {
    const plain = file.slice(file.lastIndexOf('/') + 1);
    const dot = plain.indexOf('.', 1);
    let path = `${kind}s/${plain}`;
    for (let k = 2; used.has(path.toLowerCase()); k++)
      path = `${kind}s/${dot < 0 ? plain : plain.slice(0, dot)}-${k}${dot < 0 ? '' : plain.slice(dot)}`;
    used.add(path.toLowerCase());
    entries[path] = bytes;
    return {
      kind,
      name: own,
      ...(tags.length > 0 && { tags: [...tags] }),
      ...(picture && { picture }),
      file: path,
    };
  });
  const text = JSON.stringify({ format: 'evlay-locker', version: 1, items: list }, null, 1);
  return new Uint8Array(zipSync({ [LIST]: strToU8(`${text}\n`), ...entries }, { mtime: ZIP_DAY }));
}

/** Reads a locker. Throws {@link FileError} that names the file and the place in it. */
export function readLocker(file: string, bytes: Uint8Array): LockerItem[] {
  const entries = new Map(
    unzip(file, bytes, `a locker, expected an ${LOCKER_ENDING} (a zip with a ${LIST})`).map((entry) => [
      entry.name,
      entry.bytes,
    ]),
  );
  const list = entries.get(LIST);
  if (!list) throw new FileError(file, `"${LIST}" is missing, expected it in a locker`);
  return inFile(file, () => {
    const { items } = readBy(lockerSchema, parseJson(decodeText(list, 'a list in JSON'), LIST), LIST);
    return items.map(({ tags = [], file: path, ...item }, k): LockerItem => {
      const found = entries.get(path);
      if (!found)
        throw new FileError(
          `items[${k}].file`,
          `the file ${quote(path)} is missing, expected it in the locker`,
        );
      return { ...item, id: newId(), tags, file: path.slice(path.lastIndexOf('/') + 1), bytes: found };
    });
  });
}
