import { z } from 'zod';
import type { Note } from '../../layer/notes/note.js';
import { decodeText, FileError, inFile } from '../error.js';
import { parseJson } from '../json.js';
import { LIMITS } from '../limits.js';
import { listOf, readBy, recordOf } from '../schema.js';

/** `NAME.evlay-notes`: what somebody who has only a review file sends back. JSON, made to be small. */
export const NOTES_ENDING = '.evlay-notes';
export const NOTES_VERSION = 1;

/** As much as people write, draw and say; more is a mistake or worse. */
export const NOTES_LIMITS = {
  notes: 1000,
  text: 4000,
  strokes: 400,
  points: 20_000,
  /** Characters of a voice in base64: about three minutes. */
  voice: 4_000_000,
  /** How far from the middle a stroke may go, in heights of the picture. */
  far: 20,
} as const;

const text = z.string().max(NOTES_LIMITS.text);
const name = z.string().max(LIMITS.name);
const coordinate = z.number().min(-NOTES_LIMITS.far).max(NOTES_LIMITS.far);
const place = z.tuple([z.number(), z.number(), z.number()]);

const stroke = z.strictObject({
  points: listOf(z.tuple([coordinate, coordinate, z.number().min(0).max(1)])),
  color: z.string().regex(/^#[0-9A-Fa-f]{6}$/, { error: 'expected a colour such as #FFC857' }),
  width: z.number().positive().max(1),
});

/** A note as it stands in files. */
export const noteSchema = z
  .strictObject({
    id: z.string().min(1).max(LIMITS.name),
    frame: z.number().min(-1e7).max(1e7),
    by: name,
    text,
    strokes: listOf(stroke),
    over: name.optional(),
    view: z.strictObject({ from: place, at: place, fov: z.number().min(1).max(170) }).optional(),
    variant: name.optional(),
    voice: z
      .strictObject({
        type: z
          .string()
          .regex(/^audio\/[a-z0-9.+-]+(;codecs=[a-z0-9.,-]+)?$/i, { error: 'expected a kind of sound' }),
        data: z
          .string()
          .max(NOTES_LIMITS.voice)
          .regex(/^[A-Za-z0-9+/]*={0,2}$/, { error: 'expected base64' }),
      })
      .optional(),
    answer: text.optional(),
    done: z.literal(true).optional(),
  })
  .refine(({ strokes }) => strokes.length <= NOTES_LIMITS.strokes, {
    path: ['strokes'],
    error: `expected up to ${NOTES_LIMITS.strokes} strokes`,
  })
  .refine(
    ({ strokes }) => strokes.reduce((sum, { points }) => sum + points.length, 0) <= NOTES_LIMITS.points,
    { path: ['strokes'], error: `expected up to ${NOTES_LIMITS.points} points` },
  );

const notesSchema = z.strictObject({
  format: z.literal('evlay-notes', { error: 'expected "evlay-notes"' }),
  version: z.int().positive(),
  /** What the project is called that was looked at. */
  project: name,
  by: name,
  notes: listOf(noteSchema)
    .refine((notes) => notes.length <= NOTES_LIMITS.notes, {
      error: `expected up to ${NOTES_LIMITS.notes} notes`,
    })
    .refine((notes) => new Set(notes.map(({ id }) => id)).size === notes.length, {
      error: 'two notes have one id, expected ids that differ',
    }),
  /** What layers were turned to, by their ids. */
  weights: recordOf(z.number().min(0).max(2)).optional(),
  /** The variant on which they were turned. */
  variant: name.optional(),
});

/** What came back of a review. */
export interface NotesFile {
  readonly project: string;
  readonly by: string;
  readonly notes: readonly Note[];
  readonly weights?: Readonly<Record<string, number>>;
  readonly variant?: string;
}

/** Writes notes to be sent back. */
export const writeNotes = (file: NotesFile): string =>
  `${JSON.stringify({ format: 'evlay-notes', version: NOTES_VERSION, ...file })}\n`;

/** Reads notes that came back. Throws {@link FileError}, also where a later Evlay wrote them. */
export const readNotes = (file: string, bytes: Uint8Array): NotesFile =>
  inFile(file, () => {
    const json = parseJson(decodeText(bytes, 'notes in JSON'), 'notes') as {
      version?: unknown;
    } | null;
    const version = json?.version;
    if (typeof version === 'number' && version > NOTES_VERSION)
      throw new FileError(
        'version',
        `the notes have version ${version}, which a later Evlay wrote, expected ${NOTES_VERSION}`,
      );
    const { format: _, version: __, ...read } = readBy(notesSchema, json, 'notes');
    return read;
  });
