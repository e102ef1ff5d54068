import { z } from 'zod';

/** A file, by its path and the SHA-256 of its bytes as they were when the batch was planned. */
const fileRef = z.object({ path: z.string(), digest: z.string() });
export type FileRef = z.infer<typeof fileRef>;

/** What is asked of one take file: all of it is plain JSON, with paths as whoever does it finds them. */
export const takeJobSchema = z.object({
  kit: fileRef,
  take: fileRef,
  rig: fileRef.optional(),
  /** What its results are called, and the folder that they come to. */
  name: z.string(),
  out: z.string(),
  /** The kind of file that is baked to, by its id. */
  format: z.string(),
  /** How far few keys may be off; every sample where both are missing. */
  tolerance: z.number().optional(),
  angle: z.number().optional(),
});
export type TakeJob = z.infer<typeof takeJobSchema>;

const counted = z.object({ kind: z.string(), grade: z.string(), count: z.number() });
const event = z.object({ name: z.string(), frame: z.number() });
const pair = z.object({ name: z.string(), kit: z.number(), take: z.number() });

/** What came of one performance. */
const takeDone = z.object({
  name: z.string(),
  /** Names of the files in the folder of results. */
  project: z.string(),
  bake: z.string(),
  seconds: z.number(),
  frames: z.number(),
  fps: z.number(),
  before: z.array(counted),
  after: z.array(counted),
  report: z.object({
    pairs: z.array(pair),
    lonely: z.array(event),
    shifted: z.array(z.string()),
    bent: z.array(z.object({ from: pair, to: pair, scale: z.number() })),
    spansOut: z.array(z.object({ layer: z.string(), count: z.number() })),
    leftOut: z.array(z.object({ layer: z.string(), what: z.string(), name: z.string() })),
    idle: z.array(z.string()),
  }),
  keys: z
    .object({
      before: z.number(),
      after: z.number(),
      /** The largest errors, in metres and degrees, with the joints. */
      length: z.number(),
      lengthJoint: z.string(),
      angle: z.number(),
      angleJoint: z.string(),
    })
    .optional(),
  strip: z.object({ bones: z.array(z.number()), poses: z.array(z.array(z.number())) }),
  warnings: z.array(z.string()),
});
export type TakeDone = z.infer<typeof takeDone>;

/** What is written beside the results of a take file when all of them are there: by it they are known to be whole. */
export const recordSchema = z.object({
  job: takeJobSchema,
  done: z.array(takeDone),
  files: z.array(z.object({ name: z.string(), size: z.number(), digest: z.string() })),
});
export type TakeRecord = z.infer<typeof recordSchema>;

/** A file that is to be written into the folder of results. */
export interface ResultFile {
  readonly name: string;
  readonly bytes: Uint8Array;
}

/** What came of a take file, before it is written. */
export interface JobResult {
  readonly done: readonly TakeDone[];
  readonly files: readonly ResultFile[];
}
