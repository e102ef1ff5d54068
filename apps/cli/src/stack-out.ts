import { existsSync, statSync } from 'node:fs';
import { basename, dirname, join, relative, resolve } from 'node:path';
import { characterIn, figuresIn, type Project, type Take, tooManyKeys } from '@evlay/core';
import {
  type AttachedReference,
  FileError,
  jsonText,
  referencesIn,
  stackOf,
  unzip,
  writeProject,
} from '@evlay/core/format';
import { checkOut, readFile, writeFile } from './files.js';
import { readsStandardInput } from './standard.js';

/** Where the files of a stack are: the folder from which they are named, and there the character's, if it has one. */
export interface StackOrigin {
  readonly folder: string;
  readonly rig?: string;
  /** The files of further characters. */
  readonly further?: readonly string[];
  /** What goes along in a project file beside the project. */
  readonly references?: readonly AttachedReference[];
}

const isProject = (path: string): boolean => /\.evlay$/i.test(path);

/** Refuses a place to which a stack cannot be written, before any work is done. */
export function checkStackOut(origin: string, out: string): void {
  checkOut(out);
  if (readsStandardInput() && !isProject(out))
    throw new FileError(
      out,
      'a stack names its files, and standard input has no name: expected one that ends in .evlay',
    );
  if (isProject(origin) && !isProject(out))
    throw new FileError(out, 'a project holds its files in itself, expected a name that ends in .evlay');
}

/**
 * Writes a stack: as a project with all its files by the ending `.evlay`, else as JSON that names files where they are. Takes
 * that were made are put beside it as GLB files.
 */
export async function writeStack(
  project: Project,
  origin: StackOrigin,
  out: string,
  made: readonly Take[] = [],
): Promise<void> {
  const reason = tooManyKeys(project);
  if (reason !== undefined)
    throw new FileError(
      out,
      `${reason[0].toLowerCase()}${reason.slice(1)}: expected a wider --tolerance or --angle, or a shorter range`,
    );
  if (isProject(out)) {
    await writeFile(out, writeProject(project, origin.references));
    return;
  }
  const from = resolve(origin.folder);
  const to = dirname(resolve(out));
  for (const take of made) await writeFile(join(to, take.source.file), take.source.bytes);
  const named = (file: string) => relative(to, resolve(from, file)).replaceAll('\\', '/');
  const fileOf = (id: string): string => {
    const fresh = made.find((take) => take.id === id);
    if (fresh) return fresh.source.file;
    const take = project.takes.find((one) => one.id === id);
    const model = project.scene.props.find((prop) => prop.model?.id === id)?.model;
    const further = project.scene.characters.findIndex(({ figure }) => figure?.id === id);
    return named((take?.source.file ?? model?.file ?? origin.further?.[further - 1])!);
  };
  const written = stackOf(project, fileOf);
  const stack = { ...written, ...(origin.rig && { rig: named(origin.rig) }) };
  await writeFile(out, new TextEncoder().encode(`${jsonText(stack)}\n`));
}

/** What a stack in JSON says of where the character is. */
export function originOf(path: string, project: Project): StackOrigin {
  const isFolder = existsSync(path) && statSync(path).isDirectory();
  const folder = isFolder ? path : dirname(path);
  if (isProject(path)) {
    const entries = unzip(path, readFile(path), 'a project').map(({ name, bytes }) => [name, bytes] as const);
    return { folder, references: referencesIn(new Map(entries)).references };
  }
  if (figuresIn(project.scene).length === 0) return { folder };
  const file = isFolder ? join(path, 'stack.json') : path;
  const { rig, characters = [] } = JSON.parse(new TextDecoder().decode(readFile(file))) as {
    rig?: string;
    characters?: readonly { readonly rig: string }[];
  };
  return {
    folder,
    ...(characterIn(project.scene).figure && { rig }),
    further: characters.map((one) => one.rig),
  };
}

/** A name for a file that is made beside another one, which no file there has. */
export function besideName(out: string, ending: string): string {
  const stem = `${basename(out).replace(/\.[^.]*$/, '')}-${ending.replace(/\.[^.]*$/, '')}`;
  const kind = ending.slice(ending.lastIndexOf('.'));
  let name = stem + kind;
  for (let k = 2; existsSync(join(dirname(resolve(out)), name)); k++) name = `${stem}-${k}${kind}`;
  return name;
}
