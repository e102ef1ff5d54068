import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import { z } from 'zod';
import type { Project } from '../layer/project.js';
import { checkSize, FileError, LARGEST_FILE } from './error.js';
import { type ReadProject, readStack } from './stack-read.js';
import { RIG_FILE, stackOf } from './stack-write.js';

const STACK = 'stack.json';
const ABOUT = 'project.json';

/** What only the application needs of a project. */
const aboutSchema = z.object({ name: z.string().min(1) });

/** File names of the takes inside a project, `takes/NAME.bvh`, each once, by take id. */
export function takeFiles(project: Project): Map<string, string> {
  const names = new Map<string, string>();
  const used = new Set<string>();
  for (const take of project.takes) {
    const file = take.source.file.slice(take.source.file.lastIndexOf('/') + 1);
    const dot = file.lastIndexOf('.');
    let name = file;
    for (let k = 2; used.has(name.toLowerCase()); k++) name = `${file.slice(0, dot)}-${k}${file.slice(dot)}`;
    used.add(name.toLowerCase());
    names.set(take.id, `takes/${name}`);
  }
  return names;
}

/** The small document of a project as JSON text: the stack, without takes and character. `fileOf` names takes. */
export const stackText = (project: Project, fileOf: (takeId: string) => string): string =>
  `${JSON.stringify(stackOf(project, fileOf), null, 2)}\n`;

/** Writes a project file, `NAME.evlay`: a zip of stack, takes and character. */
export function writeProject(project: Project): Uint8Array {
  const files = takeFiles(project);
  const entries: Record<string, Uint8Array> = {
    [STACK]: strToU8(stackText(project, (id) => files.get(id)!)),
    [ABOUT]: strToU8(`${JSON.stringify({ name: project.name }, null, 2)}\n`),
  };
  for (const take of project.takes) entries[files.get(take.id)!] = take.source.bytes;
  if (project.character) entries[RIG_FILE] = project.character.bytes;
  return zipSync(entries, { level: 6 });
}

/** Reads a project file. Throws {@link FileError} that names the entry and the place in it. */
export async function readProject(bytes: Uint8Array, fileName: string): Promise<ReadProject> {
  checkSize(fileName, bytes.length);
  let entries: Record<string, Uint8Array>;
  let total = 0;
  try {
    entries = unzipSync(bytes, {
      filter: (entry) => {
        total += entry.originalSize;
        if (total > 2 * LARGEST_FILE)
          throw new FileError(fileName, 'the project unpacks to more than 512 MB');
        return !entry.name.endsWith('/');
      },
    });
  } catch (error) {
    if (error instanceof FileError) throw error;
    throw new FileError(fileName, 'this is not a project, expected an .evlay file (a zip with a stack.json)');
  }
  const stack = entries[STACK];
  if (!stack) throw new FileError(fileName, `"${STACK}" is missing, expected it in a project`);
  try {
    return await readStack(stack, nameOf(entries[ABOUT], fileName), (name) => {
      const entry = entries[name.replace(/^\.\//, '')];
      return entry && { bytes: entry };
    });
  } catch (error) {
    if (error instanceof FileError) throw new FileError(fileName, error.message);
    throw error;
  }
}

function nameOf(about: Uint8Array | undefined, fileName: string): string {
  const fallback = fileName.slice(fileName.lastIndexOf('/') + 1).replace(/\.[^.]*$/, '') || 'Untitled';
  if (!about) return fallback;
  try {
    return aboutSchema.parse(JSON.parse(strFromU8(about))).name;
  } catch {
    return fallback;
  }
}
