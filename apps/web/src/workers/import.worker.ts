import { type Figure, figuresIn, type Project, type Take } from '@evlay/core';
import {
  projectFromCharacter,
  projectFromTake,
  takeOnRig,
  withFoundContacts,
  withKeyedBase,
} from '@evlay/core/edit';
import {
  type AttachedReference,
  FileError,
  type FindResource,
  hasSkin,
  kindOf,
  type Made,
  makeSamples,
  openedText,
  type ReadCharacter,
  type ReadProject,
  readAnyTake,
  readGlbKeys,
  readProject,
  unzip,
} from '@evlay/core/format';
import type { Wearer } from '@evlay/core/make';
import type { Rig } from '@evlay/core/rig';
import { unmatchedJoints } from '@evlay/core/take';
import { transfer } from 'comlink';
import { digestOfLarge } from '../storage/save-of.js';
import { type Loaded, putFiles } from '../storage/storage.js';
import type { PathFile, RefusedFile } from '../ui/dropped.js';
import { type Remembered, readStoredProject } from './read-stored.js';
import { serve } from './serve.js';

/** What reading gave: the project, or what to tell the user. Errors lose their kind on the way out of a worker. */
export type Outcome<T = ReadProject> = T | { readonly refused: string };

/** A file with its name, in a folder or a zip with its path. */
export interface NamedFile {
  readonly name: string;
  readonly bytes: Uint8Array;
}

export interface ReadTakes {
  readonly takes: readonly Take[];
  readonly warnings: readonly string[];
  /** Of several files in a zip those from which none was read. */
  readonly refusedFiles: readonly RefusedFile[];
}

/** The project that takes come into: its rig, and how captures were matched to it. */
export type Recipient = Wearer &
  Pick<Project, 'mappings'> & {
    /** The names of the takes that it has. */
    readonly names?: readonly string[];
  };

/** What reading gave, with the digests of its files, by the ids of the files. */
export type WithDigests<T> = T & { readonly digests: Readonly<Record<string, string>> };

/** What holds large buffers in a result. */
interface Heavy {
  readonly takes: readonly Pick<Take, 'source' | 'translations' | 'rotations' | 'scales'>[];
  readonly figures?: readonly Figure[];
}

const ofProject = ({ project: { takes, scene } }: ReadProject): Heavy => ({
  takes,
  figures: figuresIn(scene),
});
const ofTakes = (read: ReadTakes): Heavy => read;
const ofRemembered = ({ project, past, future }: Remembered): Heavy => ({
  takes: [project, ...past, ...future].flatMap(({ takes }) => takes),
  figures: figuresIn(project.scene),
});

type OnProgress = (done: number) => void;

/** Whether files that are read are new to this browser, and who is told how far reading and putting them away are. */
interface Attempt {
  readonly isNew?: boolean;
  readonly onProgress?: OnProgress;
}

/** The part of the time that reading takes; the rest is putting files away. */
const READING = 0.7;

/**
 * Brings what was read, or why it was not. Files and samples are handed over, not copied. New files are put away first,
 * so that the page that is left right after it has opened one loses nothing.
 */
async function attempt<T extends object>(
  read: (onProgress: OnProgress) => Promise<T>,
  heavy: (result: T) => Heavy,
  { isNew = true, onProgress = () => undefined }: Attempt = {},
): Promise<Outcome<WithDigests<T>>> {
  try {
    const result = await read((done) => onProgress(READING * done));
    const { takes, figures = [] } = heavy(result);
    const files = new Map(takes.map(({ source }) => [source.id, source.bytes]));
    for (const figure of figures) files.set(figure.id, figure.bytes);
    const digests: Record<string, string> = {};
    for (const [id, bytes] of files) if (bytes.length > 0) digests[id] = await digestOfLarge(bytes);
    if (isNew) {
      const named = new Map([...files].map(([id, bytes]) => [digests[id], bytes]));
      named.delete(undefined as unknown as string);
      const all = [...named.values()].reduce((sum, { length }) => sum + length, 0);
      let put = 0;
      for (const [digest, bytes] of named) {
        onProgress(READING + ((1 - READING) * put) / all);
        put += bytes.length;
        // Where nothing can be kept the page says so, and the project is open all the same.
        await putFiles(new Map([[digest, bytes]])).catch(() => undefined);
      }
    }
    const buffers = takes.flatMap(({ source, translations, rotations, scales }) => [
      source.bytes.buffer,
      ...[translations, rotations, scales].map(({ values }) => values.buffer),
    ]);
    for (const figure of figures) buffers.push(figure.bytes.buffer);
    return transfer({ ...result, digests }, [...new Set(buffers)] as ArrayBuffer[]);
  } catch (error) {
    if (error instanceof FileError) return { refused: error.message };
    throw error;
  }
}

/** The files of a set that can be opened, the first of them in sight, and how others are found from each. */
async function openSet(
  chosen: readonly PathFile[],
): Promise<{ mains: readonly NamedFile[]; findFrom: (main: NamedFile) => FindResource }> {
  const files = await Promise.all(
    chosen.map(async ({ path, file }) => ({ name: path, bytes: new Uint8Array(await file.arrayBuffer()) })),
  );
  const all = files.flatMap(({ name, bytes }) =>
    kindOf(name)?.id === 'zip' ? unzip(name, bytes, 'a zip') : [{ name, bytes }],
  );
  const opened = all.flatMap((file) => {
    const opens = kindOf(file.name)?.opens;
    return opens === undefined ? [] : [{ file, opens }];
  });
  const mains = opened.sort((one, other) => one.opens - other.opens).map(({ file }) => file);
  if (mains.length === 0)
    throw new FileError(files[0]?.name ?? '', `there is nothing to open in it, expected ${openedText()}`);
  const findFrom = (main: NamedFile) => {
    const folder = main.name.slice(0, main.name.lastIndexOf('/') + 1);
    return (wanted: string) =>
      (
        all.find(({ name }) => name === folder + wanted) ??
        all.find(({ name }) => fileOf(name) === fileOf(wanted))
      )?.bytes;
  };
  return { mains, findFrom };
}

/** The part of a skeleton's joints that a rig does not have, from which on it is that of another character. */
const OF_ANOTHER = 0.5;

const fileOf = (path: string): string => path.slice(path.lastIndexOf('/') + 1);

const withStanding = (project: Project): Project => ({
  ...project,
  takes: project.takes.map((take) => withFoundContacts(take, project)),
});

/** The project of a character: a performance of few keys comes with its keys, beside the take of its samples. */
function projectOf(read: ReadCharacter): Project {
  const project = projectFromCharacter(read);
  const [first] = read.takes;
  const keys = first && readGlbKeys(read.figure.bytes, first.source.clip);
  return keys ? withKeyedBase(project, keys) : project;
}

async function takesIn(
  { name, bytes }: NamedFile,
  find: FindResource,
): Promise<Pick<ReadTakes, 'takes' | 'warnings'>> {
  const character = kindOf(name)?.readCharacter;
  if (character) return character(name, bytes, find);
  const { take, warnings } = await readAnyTake(name, bytes);
  return { takes: [take], warnings };
}

/** A take with its contacts, and where it does not play on the project's rig with one that is fitted to it. */
const onWearer = (take: Take, wearer: Recipient, before: readonly Take[]): Promise<Take[]> =>
  takeOnRig(take, wearer, [...(wearer.names ?? []), ...before.map(({ name }) => name)]);

const api = {
  /** Makes a project of files that were dropped or chosen: a project, a character, or a motion. */
  importFiles: (
    files: readonly PathFile[],
    onProgress?: OnProgress,
  ): Promise<Outcome<WithDigests<ReadProject & { references?: readonly AttachedReference[] }>>> =>
    attempt(
      async (told) => {
        const { mains, findFrom } = await openSet(files);
        const [main] = mains;
        const find = findFrom(main);
        const kind = kindOf(main.name);
        if (kind?.id === 'evlay') {
          const read = await readProject(main.bytes, main.name, told);
          return { ...read, project: withStanding(read.project) };
        }
        if (kind?.readCharacter) {
          const read = await kind.readCharacter(main.name, main.bytes, find);
          return { project: withStanding(projectOf(read)), warnings: read.warnings };
        }
        const { take, warnings } = await readAnyTake(main.name, main.bytes);
        return { project: withStanding(projectFromTake(take)), warnings };
      },
      ofProject,
      { onProgress },
    ),

  /** Whether a file brings a figure on a skeleton that none of some rigs has: a character of its own, and no motion for them. */
  bringsCharacter: async (files: readonly PathFile[], rigs: readonly Rig[]): Promise<boolean> => {
    try {
      const { mains, findFrom } = await openSet(files);
      const [main] = mains;
      const read = await kindOf(main.name)?.readCharacter?.(main.name, main.bytes, findFrom(main));
      if (!read || mains.length > 1 || !hasSkin(read.figure.bytes)) return false;
      return rigs.every((rig) => unmatchedJoints(rig, read).length > OF_ANOTHER * read.rig.joints.length);
    } catch (error) {
      // What is wrong with it is said where it is read.
      if (error instanceof FileError) return false;
      throw error;
    }
  },

  /**
   * Reads the takes of files that are to come into an open project: a motion, or the animations of a character. One
   * that does not play on the project's rig comes with a take that is fitted to it.
   */
  readTakes: (files: readonly PathFile[], wearer: Recipient): Promise<Outcome<WithDigests<ReadTakes>>> =>
    attempt(async () => {
      const { mains, findFrom } = await openSet(files);
      const brought: Take[] = [];
      const warnings: string[] = [];
      const refusedFiles: RefusedFile[] = [];
      for (const main of mains) {
        try {
          const read = await takesIn(main, findFrom(main));
          if (read.takes.length === 0)
            throw new FileError(
              main.name,
              'there is no motion in it; drop it on the screen Projects to open it as a character',
            );
          warnings.push(...read.warnings);
          for (const take of read.takes) brought.push(...(await onWearer(take, wearer, brought)));
        } catch (error) {
          // Of several files in a zip the others come.
          if (mains.length === 1 || !(error instanceof FileError)) throw error;
          refusedFiles.push({ file: main.name, reason: error.message });
        }
      }
      if (brought.length === 0) throw new FileError(refusedFiles[0].file, refusedFiles[0].reason);
      return { takes: brought, warnings, refusedFiles };
    }, ofTakes),

  /** Makes the samples of a take by its steps. */
  make: (
    take: Pick<Take, 'name' | 'made' | 'contacts'>,
    source: Take,
    wearer: Wearer,
  ): Promise<Outcome<WithDigests<Made>>> =>
    attempt(
      () => makeSamples(take, source, wearer),
      (made) => ({ takes: [made] }),
    ),

  /** Reads a project that is kept in this browser, with its history, as far as it can be read. */
  loadStored: (stored: Loaded, onProgress?: OnProgress): Promise<Outcome<WithDigests<Remembered>>> =>
    attempt((told) => readStoredProject(stored, told), ofRemembered, { isNew: false, onProgress }),
};

export type ImportApi = typeof api;

serve(api);
