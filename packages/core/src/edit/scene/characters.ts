import { playing, takeOf } from '../../layer/content.js';
import { freeName, insertLayer } from '../../layer/insert.js';
import { newLayer } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import { AT_ORIGIN, type Character, type Stand } from '../../layer/scene.js';
import { memberNames } from '../../rig/members.js';
import { rigHeight } from '../../rig/pose.js';
import { characterIndex, charactersOf, type Rig, sceneName } from '../../rig/rig.js';
import type { Take } from '../../take/take.js';
import { sameValue } from '../change.js';
import { withNames } from './names.js';
import { addTakes } from './takes.js';
import { withScene } from './with-scene.js';

/** What a character brings into a scene: its joints, its looks, and the takes that came with it. */
export interface NewCharacter extends Pick<Character, 'rig' | 'figure'> {
  readonly name: string;
  readonly takes: readonly Take[];
  /** Metres a unit of its lengths. */
  readonly metresPerUnit: number;
}

/** A name that no character has and under which no joint would be called like another: as it is, or with a number. */
export function freeCharacterName({ scene, rig }: Pick<Project, 'scene' | 'rig'>, wanted: string): string {
  const stem = wanted.replaceAll('/', ' ').trim() || 'Character';
  const names = memberNames(rig);
  const taken = (name: string) =>
    scene.characters.some((one) => one.name === name) || names.some((one) => one.startsWith(`${name}/`));
  if (!taken(stem)) return stem;
  let k = 2;
  while (taken(`${stem} ${k}`)) k++;
  return `${stem} ${k}`;
}

/** How far characters that come into a scene stand apart, in heights of the taller. */
const APART = 0.75;

/**
 * Puts a further character into the scene, beside those that are there and at its size in metres. Its first take plays on a layer right
 * above the base. Gives the project, which character it is, and that layer.
 */
export function addCharacter(
  project: Project,
  { name: wanted, rig, figure, takes, metresPerUnit }: NewCharacter,
): { readonly project: Project; readonly character: number; readonly layer?: string } {
  const { scene } = project;
  const name = freeCharacterName(project, wanted);
  const scale = metresPerUnit / project.metresPerUnit;
  const tallest = Math.max(...scene.characters.map((one) => rigHeight(one.rig)), rigHeight(rig) * scale);
  const stand: Stand = {
    ...AT_ORIGIN,
    at: [scene.characters.length * APART * tallest, 0, 0],
    scale: Math.abs(scale - 1) < 1e-9 ? 1 : scale,
  };
  const character: Character = { name, rig, ...(figure && { figure }), stand };
  const there = withScene(project, { ...scene, characters: [...scene.characters, character] });
  const all = addTakes(there, takes);
  const [first] = all.takes.slice(project.takes.length);
  const index = scene.characters.length;
  if (!first) return { project: all, character: index };
  // It shows as the character's own material, as the base of the first does.
  const layer = newLayer(freeName(all, name, true), 'override', {
    content: playing(first.id, 'first', name),
  });
  return { project: insertLayer(all, layer, 1), character: index, layer: layer.id };
}

/** Moves a further character with all that it does: its frame. */
export function standCharacter(project: Project, character: number, values: Partial<Stand>): Project {
  const before = project.scene.characters[character];
  if (character < 1 || !before) return project;
  const stand = { ...AT_ORIGIN, ...before.stand, ...values };
  if (sameValue(stand, before.stand)) return project;
  const characters = project.scene.characters.with(character, { ...before, stand });
  return withScene(project, { ...project.scene, characters });
}

/** Calls a character otherwise, also where layers speak of its joints. An empty name, or one that is taken, changes nothing. */
export function renameCharacter(project: Project, character: number, wanted: string): Project {
  const { scene } = project;
  const before = scene.characters[character];
  const name = wanted.trim();
  if (!before || name === '' || name === before.name) return project;
  if (freeCharacterName(project, name) !== name) return project;
  const characters = scene.characters.with(character, { ...before, name });
  // The joints of the first have plain names.
  if (character === 0) return { ...project, scene: { ...scene, characters } };
  const called = (from: string, to: string) => (one: string) =>
    one.startsWith(`${from}/`) ? sceneName(to, one.slice(from.length + 1)) : one;
  const now = called(before.name, name);
  const next = withNames(project, {
    member: now,
    part: now,
    limb: now,
    character: (one) => (one === before.name ? name : one),
  });
  return withScene(next, { ...scene, characters }, called(name, before.name), now);
}

/** Takes a further character out of the scene, with the layers that play on it alone and all that others say of it. */
export function removeCharacter(project: Project, character: number): Project {
  const { scene } = project;
  const gone = scene.characters[character];
  if (character < 1 || !gone) return project;
  const stays = (name: string) => (name.startsWith(`${gone.name}/`) ? undefined : name);
  const plays = ({ id }: { readonly id: string }) => {
    const own = charactersOfLayer(project, id);
    return own.size === 1 && own.has(character);
  };
  const kept = { ...project, layers: project.layers.filter((layer, k) => k === 0 || !plays(layer)) };
  const named = withNames(kept, {
    member: stays,
    part: stays,
    limb: stays,
    character: (name) => (name === gone.name ? undefined : name),
  });
  return withScene(named, { ...scene, characters: scene.characters.toSpliced(character, 1) });
}

/** The characters, by their indices, of which a layer has content; none where it has none, or only for props. */
export function charactersOfLayer({ rig, layers }: Pick<Project, 'rig' | 'layers'>, id: string): Set<number> {
  const layer = layers.find((one) => one.id === id);
  const found = new Set<number>();
  if (!layer) return found;
  const { content } = layer;
  const characters = charactersOf(rig);
  const owner = (name: string) => {
    const further = characters.findIndex((one) => one.name !== '' && name.startsWith(`${one.name}/`));
    return Math.max(0, further);
  };
  const add = (name: string) => {
    if (owner(name) > 0 || ownNames(rig).has(name)) found.add(owner(name));
  };
  if (content.kind === 'take') found.add(Math.max(0, characterIndex(rig, takeOf(layer)?.character)));
  if (content.kind === 'contacts')
    for (const limb of Object.keys(content.contacts.limbs)) found.add(owner(limb));
  if (content.kind === 'curves') {
    for (const name of Object.keys(content.channels)) add(name);
    for (const { joint } of content.targets) add(joint);
  }
  // What has nothing yet is of whom it is limited to.
  if (content.kind === 'nothing') for (const name of Object.keys(layer.allows ?? {})) add(name);
  return found;
}

const namesOf = new WeakMap<Rig, ReadonlySet<string>>();

/** The names of the joints and face channels of the first character. */
function ownNames(rig: Rig): ReadonlySet<string> {
  const { rig: own } = charactersOf(rig)[0];
  let names = namesOf.get(own);
  if (!names) {
    names = new Set(memberNames(own));
    namesOf.set(own, names);
  }
  return names;
}
