import { newId } from '../../id.js';
import { type Prop, type PropModel, sizeFor } from '../../layer/prop.js';
import { AT_ORIGIN, type Character, rigOfScene, type Scene } from '../../layer/scene.js';
import { memberNames } from '../../rig/members.js';
import type { Rig } from '../../rig/rig.js';
import type { Take } from '../../take/take.js';
import { FileError, inFile, quote } from '../error.js';
import { splitGlb } from '../gltf/glb.js';
import { readGlbRig } from '../gltf/rig.js';
import { isMadeTake, readGlbTake } from '../gltf/take.js';
import type { ProjectJson } from '../project-json.js';
import { readTake } from '../take-read.js';
import { checkProps } from './stack-check.js';
import type { StackFile } from './stack-schema.js';

/** Who and what stands in the scene of a stack, with the files that bring them. */

/** A file that a stack names, with the id and the file name under which it is kept already, if it is. */
export interface FoundFile {
  readonly bytes: Uint8Array;
  readonly id?: string;
  readonly file?: string;
}

/** Finds a file that a stack names, relative to the stack file. Undefined where there is none. */
export type FindFile = (name: string) => FoundFile | undefined;

/** A file that brings the rig and is no character: a BVH, or a take that Evlay made. Undefined where it is one. */
export function rigTakeIn(path: string, { bytes, id, file = path }: FoundFile): Take | undefined {
  if (/\.bvh$/i.test(file)) return readTake(file, bytes, id).take;
  return isMadeTake(bytes) ? readGlbTake(file, bytes, undefined, id).take : undefined;
}

export const missing = (name: string, where: string) =>
  new FileError(where, `the file ${quote(name)} is missing, expected it beside the stack`);

export function foundAt(find: FindFile, name: string, where: string): FoundFile {
  const file = find(name);
  if (!file) throw missing(name, where);
  return file;
}

/**
 * The props of a stack, with what only the application knows of them. With `warnings`, a model that is missing or cannot
 * be read is one, and the prop has a plain shape.
 */
export function readProps(
  file: StackFile,
  rig: Rig,
  find: FindFile,
  json: ProjectJson | undefined,
  warnings?: string[],
): Prop[] {
  checkProps(file, rig);
  return (file.props ?? []).map(({ name, file: model, at, turn, camera }, i): Prop => {
    const kept = json?.props?.find((one) => one.name === name);
    const read = (): PropModel | undefined => {
      if (model === undefined) return undefined;
      const found = foundAt(find, model, `props[${i}].file`);
      inFile(model, () => splitGlb(found.bytes));
      return { id: found.id ?? newId(), file: found.file ?? model, bytes: found.bytes };
    };
    let looks: PropModel | undefined;
    try {
      looks = read();
    } catch (error) {
      if (!warnings || !(error instanceof FileError)) throw error;
      warnings.push(`the prop ${quote(name)} has lost its model: ${error.message}`);
    }
    return {
      name,
      ...(looks && { model: looks }),
      ...(camera && { camera: { ...camera } }),
      shape: kept?.shape ?? 'box',
      size: kept?.size ?? sizeFor(rig),
      at: at ?? [0, 0, 0],
      turn: turn ?? [0, 0, 0],
      ...(kept?.hidden && { hidden: true }),
    };
  });
}

/** The props of before where nothing about them has changed, so that what hangs on their identity stays. */
export function keepSame(before: readonly Prop[], now: readonly Prop[]): readonly Prop[] {
  const told = ({ model, ...prop }: Prop) => JSON.stringify([prop, model?.id]);
  return before.length === now.length && before.every((prop, k) => told(prop) === told(now[k]))
    ? before
    : now;
}

/**
 * The further characters of a stack. Those that `before` has already, by the ids of their files, are taken from there, so that what
 * hangs on their identity stays.
 */
export function readCharacters(
  { characters = [] }: StackFile,
  find: FindFile,
  before: readonly Character[] = [],
): Character[] {
  return characters.map((said, k): Character => {
    const { name, rig: path, at, heading, scale } = said;
    const stand = { ...AT_ORIGIN, ...(at && { at }), ...(heading && { heading }), ...(scale && { scale }) };
    const found = foundAt(find, path, `characters[${k}].rig`);
    const known = before.find(({ figure }) => figure && figure.id === found.id);
    if (known) {
      const same = known.name === name && JSON.stringify(known.stand) === JSON.stringify(stand);
      return same ? known : { ...known, name, stand };
    }
    const take = inFile(path, () => rigTakeIn(path, found));
    if (take) {
      const own = before.find(({ rig }) => JSON.stringify(rig) === JSON.stringify(take.rig));
      return { name, rig: own?.rig ?? take.rig, stand };
    }
    return {
      name,
      rig: inFile(path, () => readGlbRig(found.bytes)),
      figure: { id: found.id ?? newId(), bytes: found.bytes },
      stand,
    };
  });
}

/** Refuses characters whose joints would have the names of others. `first` is the rig of the first. */
export function checkCharacters({ characters = [] }: StackFile, scene: Pick<Scene, 'characters'>): void {
  const names = new Set<string>();
  for (const [k, { name }] of characters.entries()) {
    if (names.has(name))
      throw new FileError(`characters[${k}].name`, `two characters are called ${quote(name)}`);
    names.add(name);
  }
  const members = memberNames(rigOfScene({ ...scene, props: [] }));
  const twice = members.find((name, k) => members.indexOf(name) !== k);
  if (twice !== undefined)
    throw new FileError('characters', `two joints would be called ${quote(twice)}, expected another name`);
}
