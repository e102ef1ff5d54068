import type { LimbCorrections, LimbShape } from '../../rig/limbs.js';
import { sceneName } from '../../rig/rig.js';
import type { StackFile, StackFileCharacter } from './stack-schema.js';

/** What a stack says of the bodies of all its characters, by names in the scene. */

/** The limbs that a stack says, of all characters, by their names in the scene. */
export function saidLimbs({
  limbs = {},
  characters = [],
}: Pick<StackFile, 'limbs' | 'characters'>): LimbCorrections {
  const all = [{ name: '', limbs }, ...characters];
  return Object.fromEntries(
    all.flatMap(({ name, limbs: own = {} }) =>
      Object.entries(own).map(([limb, said]) => [
        sceneName(name, limb),
        said && shapeOf(said, (joint) => sceneName(name, joint)),
      ]),
    ),
  );
}

/** A limb that hangs needs no direction in which it bends. */
const shapeOf = (
  { chain, bend = [0, 0, 1], hangs }: NonNullable<NonNullable<StackFile['limbs']>[string]>,
  inScene: (name: string) => string,
): LimbShape => ({ chain: chain.map(inScene), bend, ...(hangs && { hangs }) });

/** The parts that a stack says, of all characters: lists of members by part, all by their names in the scene, with the path of each list. */
export function partsIn({ parts = {}, characters = [] }: StackFile): {
  readonly part: string;
  readonly members: readonly string[];
  readonly path: readonly PropertyKey[];
}[] {
  const of = (name: string, own: StackFileCharacter['parts'], path: readonly PropertyKey[]) =>
    Object.entries(own ?? {}).map(([part, members]) => ({
      part: sceneName(name, part),
      members: members.map((member) => sceneName(name, member)),
      path: [...path, 'parts', part],
    }));
  return [
    ...of('', parts, []),
    ...characters.flatMap(({ name, parts: own }, k) => of(name, own, ['characters', k])),
  ];
}
