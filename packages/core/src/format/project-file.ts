import { strToU8, Zip, ZipDeflate, ZipPassThrough } from 'fflate';
import { newId } from '../id.js';
import { finished, type Steps } from '../job/steps.js';
import type { Layer } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { figuresIn } from '../layer/scene.js';
import type { Take } from '../take/take.js';
import { decodeText, FileError, inFileAsync } from './error.js';
import { parseJson } from './json.js';
import { jsonText, type KnownTexts } from './json-lines.js';
import { type ProjectJson, projectJsonOf, projectJsonSchema } from './project-json.js';
import {
  type AttachedReference,
  REFERENCES_JSON,
  referenceEntries,
  referencesIn,
} from './review/references-file.js';
import { readBy } from './schema.js';
import { type ReadProject, readStack } from './stack/stack-read.js';
import type { FindFile } from './stack/stack-scene.js';
import { headOf, layerOf, RIG_FILE, stackOf } from './stack/stack-write.js';
import { tellingFind } from './stack/telling-find.js';
import { unzip, ZIP_DAY } from './zip.js';

const STACK = 'stack.json';
const PROJECT_JSON = 'project.json';

/** What is always packed. */
const TEXTS: ReadonlySet<string> = new Set([STACK, PROJECT_JSON, REFERENCES_JSON]);

/** A file name that is not used yet, numbered where it would be. It is used from then on. */
function freeName(file: string, used: Set<string>): string {
  const dot = file.lastIndexOf('.');
  let name = file;
  for (let k = 2; used.has(name.toLowerCase()); k++) name = `${file.slice(0, dot)}-${k}${file.slice(dot)}`;
  used.add(name.toLowerCase());
  return name;
}

/**
 * File names of the takes inside a project, `takes/NAME.bvh`, by take id, of figures of further characters, `characters/NAME.glb`,
 * and of props' models, `props/NAME.glb`. Takes of one file share it, and those that came in a character's are in that.
 */
export function takeFiles(project: Project): Map<string, string> {
  const used = new Set<string>();
  const figures = new Map<string, string>();
  for (const [k, { name, figure }] of project.scene.characters.entries())
    if (figure)
      figures.set(figure.id, k === 0 ? RIG_FILE : `characters/${freeName(`${asFileName(name)}.glb`, used)}`);
  const names = filesOfTakes(project.takes, new Map(figures), used);
  for (const [id, file] of figures) names.set(id, file);
  for (const { model } of project.scene.props) {
    if (!model || names.has(model.id)) continue;
    names.set(model.id, `props/${freeName(model.file.slice(model.file.lastIndexOf('/') + 1), used)}`);
  }
  return names;
}

/**
 * File names of takes in a folder `takes/`, by take id: takes that came in one file share it. `bySource` names files that are
 * elsewhere, by their ids; names that are `used` are given to none.
 */
export function filesOfTakes(
  takes: readonly Take[],
  bySource = new Map<string, string>(),
  used = new Set<string>(),
): Map<string, string> {
  const names = new Map<string, string>();
  for (const { id, source } of takes) {
    const file =
      bySource.get(source.id) ??
      `takes/${freeName(source.file.slice(source.file.lastIndexOf('/') + 1), used)}`;
    bySource.set(source.id, file);
    names.set(id, file);
  }
  return names;
}

/** The small document of a project as JSON text: the stack, without takes and character. `fileOf` names takes. */
export const stackText = (project: Project, fileOf: (takeId: string) => string): string =>
  `${jsonText(stackOf(project, fileOf))}\n`;

/** The text of a stack file in front of its layers, which follow one another with `,` between them, up to `]}`. */
export const stackHead = (project: Project, fileOf: (takeId: string) => string): string =>
  `${jsonText(headOf(project, fileOf)).replace(/\n?\}$/, '')},\n  "layers": [\n    `;

const curveTexts: KnownTexts = new WeakMap();

/** The text of a layer in a stack file. Of curves that were written before the text is known. */
export const layerText = (layer: Layer, takes: readonly Take[], fileOf: (takeId: string) => string): string =>
  jsonText(layerOf(layer, takes, fileOf), '    ', false, curveTexts);

/** A name without what file names cannot have. */
const asFileName = (name: string): string => name.replace(/[^\p{L}\p{N} ._-]+/gu, '-');

/** What only the application needs of a project, as JSON text. `fileOf` names takes. */
export const projectJsonText = (project: Project, fileOf: (takeId: string) => string): string =>
  `${JSON.stringify(projectJsonOf(project, fileOf), null, 2)}\n`;

/** Writes a project file, `NAME.evlay`: a zip of stack, takes and character, with references where they are to go along. */
export const writeProject = (
  project: Project,
  references: readonly AttachedReference[] = [],
  options?: PackOptions,
): Uint8Array<ArrayBuffer> => finished(projectSteps(project, references, options));

export interface PackOptions {
  /** Whether files of takes, characters and props are packed too; they are where it is missing. */
  readonly packFiles?: boolean;
}

/** Bytes that are packed before other work may run. */
const PACKED_AT_ONCE = 1024 * 1024;

/**
 * How hard is packed. Level 6 takes twice the time and makes a project with a capture of 30 s smaller by a twentieth. Samples that were made here
 * are stored as they are: packing takes a third off them, in as much time as all other files take.
 */
const LEVEL = 2;

/** {@link writeProject} a little at a time. */
export function* projectSteps(
  project: Project,
  references: readonly AttachedReference[] = [],
  { packFiles = true }: PackOptions = {},
): Steps<Uint8Array<ArrayBuffer>> {
  const files = takeFiles(project);
  const entries: Record<string, Uint8Array> = {
    [STACK]: strToU8(stackText(project, (id) => files.get(id)!)),
    [PROJECT_JSON]: strToU8(projectJsonText(project, (id) => files.get(id)!)),
  };
  for (const take of project.takes) entries[files.get(take.id)!] = take.source.bytes;
  for (const { model } of project.scene.props) if (model) entries[files.get(model.id)!] = model.bytes;
  for (const figure of figuresIn(project.scene)) entries[files.get(figure.id)!] = figure.bytes;
  const attached = referenceEntries(references);
  Object.assign(entries, attached);
  const samples = new Set(project.takes.flatMap(({ id, made }) => (made ? [files.get(id)!] : [])));
  const all = Object.values(entries).reduce((sum, { length }) => sum + length, 0);
  const parts: Uint8Array[] = [];
  const zip = new Zip((error, part) => {
    if (error) throw error;
    parts.push(part);
  });
  let done = 0;
  for (const [name, bytes] of Object.entries(entries)) {
    const stored = !TEXTS.has(name) && (!packFiles || samples.has(name) || name in attached);
    const entry = stored ? new ZipPassThrough(name) : new ZipDeflate(name, { level: LEVEL });
    entry.mtime = ZIP_DAY;
    zip.add(entry);
    let at = 0;
    do {
      const chunk = bytes.subarray(at, at + PACKED_AT_ONCE);
      at += PACKED_AT_ONCE;
      entry.push(chunk, at >= bytes.length);
      done += chunk.length;
      yield done / all;
    } while (at < bytes.length);
  }
  zip.end();
  return joinedBytes(parts);
}

function joinedBytes(parts: readonly Uint8Array[]): Uint8Array<ArrayBuffer> {
  const out = new Uint8Array(parts.reduce((sum, { length }) => sum + length, 0));
  let at = 0;
  for (const part of parts) {
    out.set(part, at);
    at += part.length;
  }
  return out;
}

/**
 * Reads a project file. `onProgress` is told what part of the files in it is read, before each. Throws {@link FileError} that
 * names the entry and the place in it.
 */
export async function readProject(
  bytes: Uint8Array,
  fileName: string,
  onProgress?: (done: number) => void,
): Promise<ReadProject & { readonly references: readonly AttachedReference[] }> {
  const entries = new Map(
    unzip(fileName, bytes, 'a project, expected an .evlay file (a zip with a stack.json)').map((entry) => [
      entry.name,
      entry.bytes,
    ]),
  );
  const stack = entries.get(STACK);
  if (!stack) throw new FileError(fileName, `"${STACK}" is missing, expected it in a project`);
  const { json, warnings } = parseProjectJson(entries.get(PROJECT_JSON));
  const ids = new Map<string, string>();
  const find: FindFile = (name) => {
    const path = name.replace(/^\.\//, '');
    // Takes and character that are in one file are one file ever after.
    if (!ids.has(path)) ids.set(path, newId());
    const found = entries.get(path);
    return found && { bytes: found, id: ids.get(path) };
  };
  const all = [...entries.values()].reduce((sum, { length }) => sum + length, 0);
  const read = await inFileAsync(fileName, () =>
    readStack(stack, json?.name ?? nameOf(fileName), tellingFind(find, all, onProgress), json),
  );
  const { references, warnings: missing } = referencesIn(entries);
  return { ...read, references, warnings: [...warnings, ...read.warnings, ...missing] };
}

/** The name of a project that does not say it. */
const nameOf = (fileName: string): string =>
  fileName.slice(fileName.lastIndexOf('/') + 1).replace(/\.[^.]*$/, '') || 'Untitled';

/** Reads `project.json`. The stack is whole without it: what cannot be read is a warning. */
export function parseProjectJson(bytes: Uint8Array | undefined): { json?: ProjectJson; warnings: string[] } {
  if (!bytes) return { warnings: [] };
  try {
    return {
      json: readBy(projectJsonSchema, parseJson(decodeText(bytes, 'JSON'), 'JSON'), 'the file'),
      warnings: [],
    };
  } catch {
    return {
      warnings: [
        `"${PROJECT_JSON}" cannot be read: the names of takes, how they were made and their contacts are lost`,
      ],
    };
  }
}
