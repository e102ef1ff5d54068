import type { Scalar } from '../../curve/curve.js';
import { newId } from '../../id.js';
import type { Group } from '../../layer/group.js';
import { type Layer, PLACEMENT_CHANNELS, type Placement, type PlacementChannel } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import { type Prop, type PropModel, sizeFor } from '../../layer/prop.js';
import { type Figure, rigOfScene, sceneOf } from '../../layer/scene.js';
import { PLAIN_TIME } from '../../layer/time.js';
import type { Variant } from '../../layer/variant.js';
import { memberName } from '../../rig/members.js';
import { findParts } from '../../rig/parts.js';
import { characterOf, type Rig } from '../../rig/rig.js';
import type { Take } from '../../take/take.js';

import { cut, decodeText, FileError, inFile, quote } from '../error.js';
import { splitGlb } from '../gltf/glb.js';
import { readGlbRig } from '../gltf/rig.js';
import { isMadeTake, readGlbTake } from '../gltf/take.js';
import { parseJson } from '../json.js';
import { readAnyTake } from '../kinds/index.js';
import { checkLimit, LIMITS } from '../limits.js';
import { keptIn, keptOfLayer, type ProjectJson, takeKey, withProjectJson } from '../project-json.js';
import { pathText, readBy } from '../schema.js';
import { readTake } from '../take-read.js';
import { checkBase, checkNames, checkProps, checkReferences } from './stack-check.js';
import { readContent } from './stack-content.js';
import {
  type StackFile,
  type StackFileGroup,
  type StackFileLayer,
  type StackFileVariant,
  stackSchema,
} from './stack-schema.js';
import { mapValues, readScalar } from './stack-values.js';

/** A file that a stack names, with the id and the file name under which it is kept already, if it is. */
export interface FoundFile {
  readonly bytes: Uint8Array;
  readonly id?: string;
  readonly file?: string;
}

/** Finds a file that a stack names, relative to the stack file. Undefined where there is none. */
export type FindFile = (name: string) => FoundFile | undefined;

export interface ReadProject {
  readonly project: Project;
  readonly warnings: readonly string[];
}

/**
 * Reads a stack file with the files that it names. Throws {@link FileError} whose place is a path into the
 * stack, or the name of the file that is wrong. `json` is what only the application knows; a take that it lists
 * and whose file is gone is left out with a warning. With `lenient`, so is any take that cannot be read: a layer that
 * played it then has nothing. `keep` is given the takes as they were read, by {@link takeKey}.
 */
export async function readStack(
  bytes: Uint8Array,
  name: string,
  find: FindFile,
  json?: ProjectJson,
  lenient = false,
  keep?: Map<string, Take>,
): Promise<ReadProject> {
  const file = parseStack(bytes);
  checkBase(file);
  const { takes: read, warnings } = await readTakes(file, find, json, lenient);
  if (keep) for (const [key, take] of read) keep.set(key, take);
  const takes = withProjectJson(read, json);
  const baseTake = file.layers[0].take && takes.get(takeKey(file.layers[0].take));
  let rig = (
    baseTake ?? (lenient ? [...takes.values()].find((take) => fitsNames(file, take.rig)) : undefined)
  )?.rig;
  let figure: Figure | undefined;
  if (file.rig) {
    const found = foundAt(find, file.rig, 'rig');
    const take = inFile(file.rig, () => rigTakeIn(file.rig!, found));
    if (take) {
      // The take that has the rig stays beside a base that is keyed.
      const key = takeKey({ file: file.rig });
      const known = takes.get(key) ?? take;
      takes.set(key, known);
      rig = known.rig;
    } else {
      rig = inFile(file.rig, () => readGlbRig(found.bytes));
      figure = { id: found.id ?? newId(), bytes: found.bytes };
    }
  }
  if (!rig)
    throw new FileError('rig', 'no rig and no take in the base, expected one of them to bring the skeleton');
  const props = readProps(file, rig, find, json, lenient ? warnings : undefined);
  const scene = { ...sceneOf(rig, figure), props };
  const joined = rigOfScene(scene);
  checkNames(file, joined);
  checkReferences(file, takes);
  const parts = readParts(file, joined);
  return {
    project: {
      name,
      fps: file.fps,
      first: file.first || undefined,
      range: file.range,
      metresPerUnit: file.metresPerUnit ?? 1,
      scene,
      rig: joined,
      parts,
      takes: [...takes.values()],
      mappings: json?.mappings ?? [],
      limbs: file.limbs ?? {},
      ...keptIn(json),
      ...readLayers(file, takes, json),
    },
    warnings,
  };
}

/** A file that brings the rig and is no character: a BVH, or a take that Evlay made. Undefined where it is one. */
function rigTakeIn(path: string, { bytes, id, file = path }: FoundFile): Take | undefined {
  if (/\.bvh$/i.test(file)) return readTake(file, bytes, id).take;
  return isMadeTake(bytes) ? readGlbTake(file, bytes, undefined, id).take : undefined;
}

/** The takes that a stack and its project.json name, by {@link takeKey}. */
async function readTakes(
  file: StackFile,
  find: FindFile,
  json: ProjectJson | undefined,
  lenient: boolean,
): Promise<{ takes: Map<string, Take>; warnings: string[] }> {
  const warnings: string[] = [];
  const takes = new Map<string, Take>();
  const made = new Set(json?.takes?.flatMap((entry) => (entry.made ? [takeKey(entry)] : [])));
  for (const [index, layer] of file.layers.entries()) {
    const key = layer.take && takeKey(layer.take);
    if (!layer.take || !key || takes.has(key)) continue;
    try {
      const found = find(layer.take.file);
      // One that was not made yet is made of its source.
      if (!found && made.has(key)) continue;
      if (!found) throw missing(layer.take.file, `layers[${index}].take.file`);
      const read = await readAnyTake(found.file ?? layer.take.file, found.bytes, layer.take.clip, found.id);
      takes.set(key, read.take);
      warnings.push(...read.warnings.map((warning) => `${cut(layer.take!.file)}: ${warning}`));
    } catch (error) {
      if (!lenient || !(error instanceof FileError)) throw error;
      warnings.push(`“${cut(layer.name)}” has lost its take: ${error.message}`);
    }
  }
  for (const entry of json?.takes ?? []) {
    if (takes.has(takeKey(entry))) continue;
    const found = find(entry.file);
    if (!found) {
      if (!entry.made)
        warnings.push(
          `the take ${quote(entry.name ?? entry.file)} is left out: the file ${quote(entry.file)} is missing`,
        );
      continue;
    }
    try {
      const read = await readAnyTake(found.file ?? entry.file, found.bytes, entry.clip, found.id);
      takes.set(takeKey(entry), read.take);
    } catch (error) {
      if (!lenient || !(error instanceof FileError)) throw error;
      warnings.push(`the take ${quote(entry.name ?? entry.file)} is left out: ${error.message}`);
    }
  }
  return { takes, warnings };
}

const withKept = (layer: Layer, json: ProjectJson | undefined): Layer => ({
  ...layer,
  ...keptOfLayer(json, layer.id),
});

/** Whether a rig has every joint that a stack names. */
function fitsNames(file: StackFile, rig: Rig): boolean {
  try {
    checkNames(file, rig);
    return true;
  } catch {
    return false;
  }
}

/**
 * Reads another state of a project's stack: the same character, other props and layers, and of `takes`, by
 * {@link takeKey}, those that `json` lists. Throws {@link FileError}.
 */
export function readStackAgain(
  bytes: Uint8Array,
  name: string,
  project: Project,
  takes: ReadonlyMap<string, Take>,
  json: ProjectJson | undefined,
  find: FindFile,
): Project {
  const file = parseStack(bytes);
  checkBase(file);
  const props = keepSame(project.scene.props, readProps(file, characterOf(project.rig), find, json));
  const scene = props === project.scene.props ? project.scene : { ...project.scene, props };
  const rig = scene === project.scene ? project.rig : rigOfScene(scene, project.rig);
  checkNames(file, rig);
  const played = file.layers.flatMap((layer) => (layer.take ? [takeKey(layer.take)] : []));
  const listed = new Set([...played, ...(json?.takes ?? []).flatMap((entry) => [takeKey(entry)])]);
  const used = withProjectJson(new Map([...takes].filter(([key]) => listed.has(key))), json);
  for (const [index, layer] of file.layers.entries()) {
    if (layer.take && !used.has(takeKey(layer.take)))
      throw new FileError(
        `layers[${index}].take.file`,
        `the take ${quote(layer.take.file)} is not in the project`,
      );
  }
  checkReferences(file, used);
  const parts = readParts(file, rig);
  const same = parts.length === project.parts.length && parts.every((part, j) => part === project.parts[j]);
  return {
    ...project,
    name,
    fps: file.fps,
    first: file.first || undefined,
    range: file.range,
    scene,
    rig,
    parts: same ? project.parts : parts,
    takes: [...used.values()],
    mappings: json?.mappings ?? [],
    limbs: file.limbs ?? {},
    ...keptIn(json),
    ...readLayers(file, used, json),
  };
}

/** Parses and validates the JSON of a stack, without the files that it names. */
export function parseStack(bytes: Uint8Array): StackFile {
  const json = parseJson(decodeText(bytes, 'a stack in JSON'), 'a stack file');
  checkKeys(json);
  return readBy(stackSchema, json, 'the stack');
}

/** Counts what would be the keys of a stack before anything is made of them. */
function checkKeys(json: unknown): void {
  let keys = 0;
  for (const waiting = [json]; waiting.length > 0; ) {
    const value = waiting.pop();
    if (typeof value !== 'object' || value === null) continue;
    for (const [name, inner] of Object.entries(value)) {
      if (name === 'keys' && Array.isArray(inner)) keys += inner.length;
      else waiting.push(inner);
    }
  }
  checkLimit('the stack', keys, LIMITS.keys, 'keys');
}

const missing = (name: string, where: string) =>
  new FileError(where, `the file ${quote(name)} is missing, expected it beside the stack`);

function foundAt(find: FindFile, name: string, where: string): FoundFile {
  const file = find(name);
  if (!file) throw missing(name, where);
  return file;
}

/**
 * The props of a stack, with what only the application knows of them. With `warnings`, a model that is missing or cannot
 * be read is one, and the prop has a plain shape.
 */
function readProps(
  file: StackFile,
  rig: Rig,
  find: FindFile,
  json: ProjectJson | undefined,
  warnings?: string[],
): Prop[] {
  checkProps(file, rig);
  return (file.props ?? []).map(({ name, file: model, at, turn }, i): Prop => {
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
      shape: kept?.shape ?? 'box',
      size: kept?.size ?? sizeFor(rig),
      at: at ?? [0, 0, 0],
      turn: turn ?? [0, 0, 0],
      ...(kept?.hidden && { hidden: true }),
    };
  });
}

/** The props of before where nothing about them has changed, so that what hangs on their identity stays. */
function keepSame(before: readonly Prop[], now: readonly Prop[]): readonly Prop[] {
  const told = ({ model, ...prop }: Prop) => JSON.stringify([prop, model?.id]);
  return before.length === now.length && before.every((prop, k) => told(prop) === told(now[k]))
    ? before
    : now;
}

function readParts(file: StackFile, rig: Rig): string[] {
  const parts = findParts(rig);
  const named = new Map<string, string>();
  for (const [part, joints] of Object.entries(file.parts ?? {})) {
    for (const [i, joint] of joints.entries()) {
      if (named.has(joint)) {
        throw new FileError(
          pathText(['parts', part, i]),
          `joint ${quote(joint)} is in ${quote(named.get(joint)!)} too, expected one part`,
        );
      }
      named.set(joint, part);
    }
  }
  return parts.map((part, j) => named.get(memberName(rig, j)) ?? part);
}

/** The layers of a stack with their groups, and its variants. */
function readLayers(
  file: StackFile,
  takes: ReadonlyMap<string, Take>,
  json: ProjectJson | undefined,
): Pick<Project, 'layers' | 'groups' | 'variants'> {
  const layers = file.layers.map((layer) => withKept(readLayer(layer, takes), json));
  const taken = new Set(layers.map(({ id }) => id));
  // In memory a layer and a group are told apart by their ids alone.
  const idOf = new Map(file.groups?.map(({ id }) => [id, taken.has(id) ? newId() : id]));
  return {
    layers: layers.map((layer) =>
      layer.group === undefined ? layer : { ...layer, group: idOf.get(layer.group) },
    ),
    groups: (file.groups ?? []).map((group) => ({ ...readGroup(group), id: idOf.get(group.id)! })),
    variants: (file.variants ?? []).map(readVariant),
  };
}

/** A group of a stack file. */
export const readGroup = ({ id, name, muted, solo, weight }: StackFileGroup): Group => ({
  id,
  name,
  muted: muted ?? false,
  solo: solo ?? false,
  weight: readScalar(weight ?? 1),
});

/** A variant of a stack file. */
export const readVariant = ({ name, layers, range }: StackFileVariant): Variant => ({
  name,
  layers: mapValues(layers ?? {}, ({ muted, weight }) => ({
    ...(muted !== undefined && { muted }),
    ...(weight !== undefined && { weight: readScalar(weight) }),
  })),
  ...(range && { range }),
});

/** A layer of a stack file; its content is nothing where its take is not among `takes`, by {@link takeKey}. */
export function readLayer(layer: StackFileLayer, takes: ReadonlyMap<string, Take>): Layer {
  return {
    id: layer.id ?? newId(),
    name: layer.name,
    color: layer.color,
    mode: layer.mode ?? 'override',
    axes: layer.axes ?? 'joint',
    muted: layer.muted ?? false,
    solo: layer.solo ?? false,
    locked: layer.locked ?? false,
    ...(layer.group !== undefined && { group: layer.group }),
    weight: readScalar(layer.weight ?? 1),
    mask: layer.mask && mapValues(layer.mask, readScalar),
    joints: layer.joints && mapValues(layer.joints, readScalar),
    span: layer.span,
    time: layer.time && { ...PLAIN_TIME, ...layer.time },
    placement: layer.placement && readPlacement(layer.placement),
    allows: layer.allows,
    content: readContent(layer, takes),
  };
}

function readPlacement(placement: NonNullable<StackFileLayer['placement']>): Placement {
  const values = PLACEMENT_CHANNELS.map((channel) => [channel, readScalar(placement[channel] ?? 0)]);
  return {
    pivot: placement.pivot ?? [0, 0, 0],
    ...(Object.fromEntries(values) as Record<PlacementChannel, Scalar>),
  };
}
