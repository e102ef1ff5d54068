import type { Character, Project } from '@evlay/core';
import { characterOf, charactersOf, ownerOfMember, type Parts, type Rig, topologyOf } from '@evlay/core/rig';

/** A character of the scene as it is shown: its joints by their own names and where they stand among those of the scene. */
export interface Cast {
  readonly index: number;
  readonly name: string;
  readonly rig: Rig;
  readonly figure: Character['figure'];
  /** The first of its joints and of its face channels in the scene. */
  readonly from: number;
  readonly faceFrom: number;
}

/** A character of a project, by its index. */
export function castOf(
  { rig, scene, name: title }: Pick<Project, 'rig' | 'scene' | 'name'>,
  index: number,
): Cast {
  const { from, faceFrom } = topologyOf(rig).spans[index];
  const { name, figure } = scene.characters[index];
  return { index, name: name || title, rig: characterOf(rig, index), figure, from, faceFrom };
}

/** The parts of the joints of a character, without its name in front of them. */
export function ownParts({ parts, scene }: Pick<Project, 'parts' | 'scene'>, cast: Cast): Parts {
  const own = parts.slice(cast.from, cast.from + cast.rig.joints.length);
  const { name } = scene.characters[cast.index];
  return cast.index === 0 ? own : own.map((part) => withoutName(name, part));
}

/** The parts of a character, by their names in the scene, and of the props: one for each of its members. */
export const partsOfCast = ({ parts, rig }: Pick<Project, 'parts' | 'rig'>, index: number): Parts =>
  charactersOf(rig).length === 1
    ? parts
    : parts.filter((_, member) => [index, -1].includes(ownerOfMember(rig, member)));

/** What a character of the scene calls something that has its name in front of it there. */
export const withoutName = (character: string, name: string): string =>
  name.startsWith(`${character}/`) ? name.slice(character.length + 1) : name;
