import type { Scalar } from '../../curve/curve.js';
import { newId } from '../../id.js';
import type { Group } from '../../layer/group.js';
import { type Layer, PLACEMENT_CHANNELS, type Placement, type PlacementChannel } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import { type Figure, rigOfScene, sceneOf } from '../../layer/scene.js';
import { PLAIN_TIME } from '../../layer/time.js';
import type { Variant } from '../../layer/variant.js';
import { memberName } from '../../rig/members.js';
import { findParts } from '../../rig/parts.js';
import type { Rig } from '../../rig/rig.js';
import type { Take } from '../../take/take.js';
import { cut, decodeText, FileError, inFile, quote } from '../error.js';
import { readGlbRig } from '../gltf/rig.js';
import { parseJson } from '../json.js';
import { readAnyTake } from '../kinds/index.js';
import { checkLimit, LIMITS } from '../limits.js';
import { keptIn, keptOfLayer, type ProjectJson, takeKey, withProjectJson } from '../project-json.js';
import { pathText, readBy } from '../schema.js';
import { checkBase, checkNames, checkReferences, spaceOf } from './stack-check.js';
import { readContent } from './stack-content.js';
import { partsIn, saidLimbs } from './stack-said.js';
import {
  checkCharacters,
  type FindFile,
  foundAt,
  keepSame,
  missing,
  readCharacters,
  readProps,
  rigTakeIn,
} from './stack-scene.js';
import {
  type StackFile,
  type StackFileGroup,
  type StackFileLayer,
  type StackFileVariant,
  stackSchema,
} from './stack-schema.js';
import { mapValues, readScalar } from './stack-values.js';

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
  const characters = [...sceneOf(rig, figure, json?.character).characters, ...readCharacters(file, find)];
  checkCharacters(file, { characters });
  const bodies = rigOfScene({ characters, props: [] });
  const props = readProps(file, bodies, find, json, lenient ? warnings : undefined);
  const scene = { characters, props };
  const joined = rigOfScene(scene);
  checkNames(file, joined);
  checkReferences(file, takes, joined);
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
      limbs: saidLimbs(file),
      ...keptIn(json),
      ...readLayers(file, takes, json),
    },
    warnings,
  };
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
 * Reads another state of a project's stack: the same first character, other characters, props and layers, and of `takes`, by
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
  const { scene: known } = project;
  const [first] = known.characters;
  const called = json?.character ?? '';
  const characters = [
    first.name === called ? first : { ...first, name: called },
    ...readCharacters(file, find, known.characters),
  ];
  const bodies = rigOfScene({ characters, props: [] });
  const props = keepSame(known.props, readProps(file, bodies, find, json));
  const cast =
    characters.length === known.characters.length &&
    characters.every((one, k) => one === known.characters[k]);
  const scene = props === known.props && cast ? known : { characters, props };
  const rig = scene === known ? project.rig : rigOfScene(scene, project.rig);
  const limbs = saidLimbs(file);
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
  checkReferences(file, used, rig);
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
    limbs: JSON.stringify(project.limbs) === JSON.stringify(limbs) ? project.limbs : limbs,
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

function readParts(file: StackFile, rig: Rig): string[] {
  const parts = findParts(rig);
  const named = new Map<string, string>();
  for (const { part, members, path } of partsIn(file)) {
    for (const [i, member] of members.entries()) {
      if (named.has(member)) {
        throw new FileError(
          pathText([...path, i]),
          `joint ${quote(member)} is in ${quote(named.get(member)!)} too, expected one part`,
        );
      }
      named.set(member, part);
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
  const space = spaceOf(placement);
  return {
    pivot: placement.pivot ?? [0, 0, 0],
    ...(space !== undefined && { space }),
    ...(Object.fromEntries(values) as Record<PlacementChannel, Scalar>),
  };
}
