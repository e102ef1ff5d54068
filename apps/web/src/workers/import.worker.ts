import { makeTake, type Project, parseAbout, type Take } from '@evlay/core';
import { takeUnit } from '@evlay/core/check';
import { mappingFor, projectFromCharacter, projectFromTake } from '@evlay/core/edit';
import { FileError, type FindResource, type ReadProject, readAnyTake, readCharacter, readProject, readStack, readStackAgain, unzipped } from '@evlay/core/format';
import { findContacts, type Wearer } from '@evlay/core/make';
import { playsOn } from '@evlay/core/match';
import { type Making, takeId } from '@evlay/core/take';
import { expose, transfer } from 'comlink';
import type { StoredDocument, StoredHistory, StoredState } from '../state/storage.js';

/** What reading gave: the project, or what to tell the user. Errors lose their kind on the way out of a worker. */
export type Outcome<T = ReadProject> = T | { readonly refused: string };

/** A file that was dropped or chosen, with its path where it came in a folder. It is read here, off the page. */
export interface PathFile {
  readonly path: string;
  readonly file: Blob;
}

/** A file with its name, in a folder or a zip with its path. */
export interface NamedFile {
  readonly name: string;
  readonly bytes: Uint8Array;
}

export interface ReadTakes {
  readonly takes: readonly Take[];
  readonly warnings: readonly string[];
}

/** The project that takes come into: its rig, and how captures were matched to it. */
export type Recipient = Wearer & Pick<Project, 'mappings'>;

/** A project with the steps before and after it. */
export interface Remembered extends ReadProject {
  readonly past: readonly Project[];
  readonly future: readonly Project[];
}

/** What holds large buffers in a result. */
interface Heavy {
  readonly takes: readonly Take[];
  readonly character?: Project['character'];
}

const ofProject = ({ project }: ReadProject): Heavy => project;
const ofTakes = (read: ReadTakes): Heavy => read;
const ofRemembered = ({ project, past, future }: Remembered): Heavy => ({
  takes: [project, ...past, ...future].flatMap(({ takes }) => takes),
  character: project.character,
});

/** Brings what was read, or why it was not. Files and samples are handed over, not copied. */
async function attempt<T>(read: () => Promise<T>, heavy: (result: T) => Heavy): Promise<Outcome<T>> {
  try {
    const result = await read();
    const { takes, character } = heavy(result);
    const buffers = takes.flatMap(({ source, translations, rotations, scales }) => [
      source.bytes.buffer,
      ...[translations, rotations, scales].map(({ values }) => values.buffer),
    ]);
    if (character) buffers.push(character.bytes.buffer);
    return transfer(result, [...new Set(buffers)] as ArrayBuffer[]);
  } catch (error) {
    if (error instanceof FileError) return { refused: error.message };
    throw error;
  }
}

const aboutIn = (text: string) => parseAbout(new TextEncoder().encode(text)).about;

/** The steps of a history as projects; a history that cannot be read is left behind, the project is not. */
async function remembered(
  states: readonly StoredState[],
  project: Project,
  document: StoredDocument,
  bytes: ReadonlyMap<string, Uint8Array>,
): Promise<Project[]> {
  try {
    // A step before or after may have a take that the project does not have now.
    const known = new Map(project.takes.map((take) => [take.id, take]));
    const abouts = states.map(({ about }) => (about === undefined ? undefined : aboutIn(about)));
    for (const { file: asset, clip } of abouts.flatMap((about) => about?.takes ?? [])) {
      const source = document.takes.find((one) => one.asset === asset);
      if (known.has(takeId(asset, clip)) || !source || !bytes.has(asset)) continue;
      const { take } = await readAnyTake(source.file, bytes.get(asset)!, clip, asset);
      known.set(take.id, take);
    }
    const all = { ...project, takes: [...known.values()] };
    const assetOf = (id: string) => known.get(id)!.source.id;
    return states.map(({ name, stack }, i) =>
      readStackAgain(new TextEncoder().encode(stack), name, all, assetOf, abouts[i]),
    );
  } catch (error) {
    if (error instanceof FileError) return [];
    throw error;
  }
}

/** The file that a set of files is about, and how the others are found from it. */
async function openSet(chosen: readonly PathFile[]): Promise<{ main: NamedFile; find: FindResource }> {
  const files = await Promise.all(
    chosen.map(async ({ path, file }) => ({ name: path, bytes: new Uint8Array(await file.arrayBuffer()) })),
  );
  const all = files.flatMap(({ name, bytes }) =>
    /\.zip$/i.test(name) ? unzipped(name, bytes) : [{ name, bytes }],
  );
  const main =
    all.find(({ name }) => /\.evlay$/i.test(name)) ??
    all.find(({ name }) => /\.gltf$/i.test(name)) ??
    all.find(({ name }) => /\.glb$/i.test(name)) ??
    all.find(({ name }) => /\.bvh$/i.test(name));
  if (!main)
    throw new FileError(
      files[0]?.name ?? '',
      'there is nothing to open in it, expected a motion (.bvh), a character (.glb, .gltf) or a project (.evlay)',
    );
  const folder = main.name.slice(0, main.name.lastIndexOf('/') + 1);
  const find = (wanted: string) =>
    (
      all.find(({ name }) => name === folder + wanted) ??
      all.find(({ name }) => fileOf(name) === fileOf(wanted))
    )?.bytes;
  return { main, find };
}

const fileOf = (path: string): string => path.slice(path.lastIndexOf('/') + 1);

/** A take with the contacts of its feet. */
const standing = (take: Take, unit: number): Take => ({ ...take, contacts: findContacts(take, unit) });

const withStanding = (project: Project): Project => ({
  ...project,
  takes: project.takes.map((take) => (take.contacts ? take : standing(take, takeUnit(project, take)))),
});

async function takesIn({ name, bytes }: NamedFile, find: FindResource): Promise<ReadTakes> {
  if (/\.gl(b|tf)$/i.test(name)) return readCharacter(name, bytes, find);
  const { take, warnings } = await readAnyTake(name, bytes);
  return { takes: [take], warnings };
}

const api = {
  /** Makes a project of files that were dropped or chosen: a project, a character, or a motion. */
  importFiles: (files: readonly PathFile[]): Promise<Outcome> =>
    attempt(async () => {
      const { main, find } = await openSet(files);
      if (/\.evlay$/i.test(main.name)) {
        const read = await readProject(main.bytes, main.name);
        return { ...read, project: withStanding(read.project) };
      }
      if (/\.gl(b|tf)$/i.test(main.name)) {
        const read = await readCharacter(main.name, main.bytes, find);
        return { project: withStanding(projectFromCharacter(read)), warnings: read.warnings };
      }
      const { take, warnings } = await readAnyTake(main.name, main.bytes);
      return { project: withStanding(projectFromTake(take)), warnings };
    }, ofProject),

  /**
   * Reads the takes of files that are to come into an open project: a motion, or the animations of a character. One
   * that does not play on the project's rig comes with a take that is fitted to it.
   */
  readTakes: (files: readonly PathFile[], wearer: Recipient): Promise<Outcome<ReadTakes>> =>
    attempt(async () => {
      const { main, find } = await openSet(files);
      const { takes, warnings } = await takesIn(main, find);
      if (takes.length === 0)
        throw new FileError(
          main.name,
          'there is no motion in it; drop it on the screen Projects to open it as a character',
        );
      const brought: Take[] = [];
      for (const take of takes) {
        brought.push(standing(take, takeUnit(wearer, take)));
        if (!playsOn(wearer.rig, take))
          brought.push(await makeTake(take, { from: take.id, mapping: mappingFor(wearer, take) }, wearer));
      }
      return { takes: brought, warnings };
    }, ofTakes),

  /** Makes a take of another one. */
  make: (source: Take, making: Making, wearer: Wearer, before?: Take): Promise<Outcome<Take>> =>
    attempt(
      () => makeTake(source, making, wearer, before),
      (take) => ({ takes: [take] }),
    ),

  /** Reads a project that is kept in this browser, with its history. */
  loadStored: (
    document: StoredDocument,
    bytes: ReadonlyMap<string, Uint8Array>,
    history: StoredHistory | null,
  ): Promise<Outcome<Remembered>> =>
    attempt(async () => {
      const stack = new TextEncoder().encode(document.stack);
      const find = (name: string) => {
        const take = document.takes.find(({ asset }) => asset === name);
        const asset = take?.asset ?? document.character;
        const found = asset === undefined ? undefined : bytes.get(asset);
        return found && { bytes: found, id: asset, file: take?.file };
      };
      const about = document.about === undefined ? undefined : aboutIn(document.about);
      const read = await readStack(stack, document.name, find, about && { ...about, name: document.name });
      const again = (states: readonly StoredState[] = []) =>
        remembered(states, read.project, document, bytes);
      return { ...read, past: await again(history?.past), future: await again(history?.future) };
    }, ofRemembered),
};

export type ImportApi = typeof api;

expose(api);
