import type { Project, Take } from '@evlay/core';
import { projectJsonText, stackText } from '@evlay/core/format';
import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex } from '@noble/hashes/utils.js';
import { z } from 'zod';

/** One state of a project: its stack file and its project.json. Takes are named by the ids of their files. */
const storedState = z.object({ name: z.string(), stack: z.string(), json: z.string() });
export type StoredState = z.infer<typeof storedState>;
export const readState = (value: unknown): StoredState | undefined => storedState.safeParse(value).data;

const storedFile = z.object({ id: z.string(), file: z.string(), digest: z.string() });
export type StoredFile = z.infer<typeof storedFile>;

/**
 * What names everything that belongs to a project: its states and its files, by their digests. It is small, and
 * writing it is what makes a save count: what it names was written before.
 */
const record = z.object({
  id: z.string(),
  name: z.string(),
  saved: z.number(),
  /** When the project was deleted; it can be brought back for a day. */
  deleted: z.number().optional(),
  state: z.string(),
  past: z.array(z.string()),
  future: z.array(z.string()),
  /** The files that takes came in or were made into, by the id under which the states name them. */
  files: z.array(storedFile),
  character: z.object({ id: z.string(), digest: z.string() }).optional(),
});
export type ProjectRecord = z.infer<typeof record>;
export const readRecord = (value: unknown): ProjectRecord | undefined => record.safeParse(value).data;

/** What is left of a record that cannot be read as a whole; undefined where it names no state any more. */
export function salvaged(id: string, value: unknown): ProjectRecord | undefined {
  const { shape } = record;
  const part = (typeof value === 'object' && value !== null ? value : {}) as Record<string, unknown>;
  const texts = (list: unknown) =>
    Array.isArray(list) ? list.filter((one): one is string => typeof one === 'string') : [];
  const files = Array.isArray(part.files) ? part.files : [];
  const found: ProjectRecord = {
    id,
    name: shape.name.safeParse(part.name).data ?? 'Damaged project',
    saved: shape.saved.safeParse(part.saved).data ?? 0,
    state: shape.state.safeParse(part.state).data ?? '',
    past: texts(part.past),
    future: texts(part.future),
    files: files.flatMap((file) => storedFile.safeParse(file).data ?? []),
    character: shape.character.safeParse(part.character).data,
  };
  return [found.state, ...found.past, ...found.future].some((digest) => digest !== '') ? found : undefined;
}

/** A record with the states and files that it names: all that a save may have to write. */
export interface Save {
  readonly record: ProjectRecord;
  readonly states: ReadonlyMap<string, StoredState>;
  readonly files: ReadonlyMap<string, Uint8Array>;
}

/** Steps of the history that are kept over a reload. */
const KEPT_STEPS = 100;

const fileDigests = new WeakMap<Uint8Array, string>();

/** The digest of a file's bytes (SHA-256), worked out once. */
export function digestOf(bytes: Uint8Array): string {
  let digest = fileDigests.get(bytes);
  if (digest === undefined) {
    digest = bytesToHex(sha256(bytes));
    fileDigests.set(bytes, digest);
  }
  return digest;
}

/** Takes over a digest that was worked out elsewhere, so that the page need not go through a large file. */
export const knowDigest = (bytes: Uint8Array, digest: string): void => void fileDigests.set(bytes, digest);

/** The digest of what a state says. */
export const digestOfState = ({ name, stack, json }: StoredState): string =>
  bytesToHex(sha256(new TextEncoder().encode(JSON.stringify([name, stack, json]))));

const stateTexts = new WeakMap<Project, { readonly digest: string; readonly state: StoredState }>();

function stateOf(project: Project): { readonly digest: string; readonly state: StoredState } {
  let known = stateTexts.get(project);
  if (!known) {
    // A model of a prop is called by the id of its file.
    const fileOf = (id: string) => project.takes.find((take) => take.id === id)?.source.id ?? id;
    const state = {
      name: project.name,
      stack: stackText(project, fileOf),
      json: projectJsonText(project, fileOf),
    };
    known = { digest: digestOfState(state), state };
    stateTexts.set(project, known);
  }
  return known;
}

/** A take whose samples were not made yet has no file of its own; it is made of its source again. */
const hasFile = ({ source }: Take): boolean => source.bytes.length > 0;

/** All that a save of a project has to have on disk, without waiting for anything. */
export function saveOf(
  id: string,
  project: Project,
  past: readonly Project[] = [],
  future: readonly Project[] = [],
): Save {
  const [before, after] = [past.slice(-KEPT_STEPS), future.slice(0, KEPT_STEPS)];
  const all = [...before, project, ...after];
  const states = new Map(all.map(stateOf).map(({ digest, state }) => [digest, state]));
  const files = new Map<string, Uint8Array>();
  const named = new Map<string, StoredFile>();
  // The steps before and after may play takes that the project does not play now.
  for (const { source } of all.flatMap(({ takes }) => takes).filter(hasFile)) {
    if (named.has(source.id)) continue;
    const digest = digestOf(source.bytes);
    named.set(source.id, { id: source.id, file: source.file, digest });
    files.set(digest, source.bytes);
  }
  for (const { model } of all.flatMap(({ props }) => props)) {
    if (!model || named.has(model.id)) continue;
    const digest = digestOf(model.bytes);
    named.set(model.id, { id: model.id, file: model.file, digest });
    files.set(digest, model.bytes);
  }
  const { character } = project;
  if (character) files.set(digestOf(character.bytes), character.bytes);
  return {
    record: {
      id,
      name: project.name,
      saved: Date.now(),
      state: stateOf(project).digest,
      past: before.map((one) => stateOf(one).digest),
      future: after.map((one) => stateOf(one).digest),
      files: [...named.values()],
      ...(character && { character: { id: character.id, digest: digestOf(character.bytes) } }),
    },
    states,
    files,
  };
}

/** Digests of all states and files that a record names. */
export const namedBy = ({ state, past, future, files, character }: ProjectRecord) => ({
  states: [state, ...past, ...future],
  files: [...files.map(({ digest }) => digest), ...(character ? [character.digest] : [])],
});
