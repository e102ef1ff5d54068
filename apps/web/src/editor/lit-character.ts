import type { Pose, Rig } from '@evlay/core';
import { membersOfCharacter, poseOfCharacter, rigOfCharacter } from '@evlay/core/rig';
import { useProject, useSession } from './context.js';
import type { Editor } from './editor.js';

/** The character that is lit as it is by itself, with the props: what saved poses and hands are of. */
export interface LitCharacter {
  readonly rig: Rig;
  /** Its pose out of that of the scene. */
  readonly poseOf: (pose: Pose) => Pose;
  /** What is said of its members, said of those of the scene. */
  readonly toScene: <T>(of: ReadonlyMap<number, T>) => Map<number, T>;
  /** Those of some members of the scene that are its own, by its own indices. */
  readonly ownOf: (members: readonly number[]) => number[];
}

const litOf = (rig: Rig, character: number): LitCharacter => {
  const members = membersOfCharacter(rig, character);
  const own = new Map(members.map((member, k) => [member, k]));
  return {
    rig: rigOfCharacter(rig, character),
    poseOf: (pose) => poseOfCharacter(rig, character, pose),
    toScene: (of) => new Map([...of].map(([k, value]) => [members[k], value])),
    ownOf: (all) => all.flatMap((member) => own.get(member) ?? []),
  };
};

export const litCharacter = ({ history, session }: Pick<Editor, 'history' | 'session'>): LitCharacter =>
  litOf(history.project().rig, session.getState().character);

/** The rig of the character that is lit, with the props. */
export function useLitRig(): Rig {
  const rig = useProject((project) => project.rig);
  const character = useSession((state) => state.character);
  return rigOfCharacter(rig, character);
}
