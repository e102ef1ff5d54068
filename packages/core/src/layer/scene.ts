import { eulerToQuaternion, RADIANS } from '../math/euler.js';
import { facesOf } from '../rig/members.js';
import type { Joint, Quaternion, Rig } from '../rig/rig.js';
import { sharingTopology } from '../rig/topology.js';
import type { Prop } from './prop.js';

/** A skinned figure, as the file that it came in. */
export interface Figure {
  readonly id: string;
  readonly bytes: Uint8Array;
}

/** A character: its joints alone, and what it looks like where a file says so. */
export interface Character {
  readonly rig: Rig;
  readonly figure?: Figure;
}

/** Who and what is moved. Names of joints and props are unique in it; there is at least one character. */
export interface Scene {
  readonly characters: readonly Character[];
  /** In the order of their joints. */
  readonly props: readonly Prop[];
}

/** A scene of one character, without props. */
export const sceneOf = (rig: Rig, figure?: Figure): Scene => ({
  characters: [{ rig, ...(figure && { figure }) }],
  props: [],
});

/** The character that is worked with: the first. */
export const characterIn = ({ characters }: Scene): Character => characters[0];

/** The figures of all characters of a scene. */
export const figuresIn = ({ characters }: Scene): Figure[] =>
  characters.flatMap(({ figure }) => figure ?? []);

/** A scene without the files that say what it looks like, of which nothing that moves hangs. */
export const withoutLooks = ({ characters, props }: Scene): Scene => ({
  characters: characters.map(({ rig }) => ({ rig })),
  props: props.map(({ model: _, ...prop }) => prop),
});

/** The joint that a prop is. */
function jointOf({ name, at, turn }: Prop): Joint {
  const rotation = [0, 0, 0, 1];
  eulerToQuaternion(
    rotation,
    0,
    'YXZ',
    turn.map((degrees) => degrees * RADIANS),
    0,
  );
  return {
    name,
    parent: -1,
    translation: at,
    rotation: rotation as unknown as Quaternion,
    scale: [1, 1, 1],
    order: 'XYZ',
    ends: [],
    channels: [],
  };
}

/**
 * The rig of a scene: the joints of its characters one after the other, then a joint for each prop. The rig of the character
 * itself where there is one alone. It shares the topology of `before` where that is the same.
 */
export function rigOfScene({ characters, props }: Scene, before?: Rig): Rig {
  if (characters.length === 1 && props.length === 0) return characters[0].rig;
  const joints: Joint[] = [];
  for (const { rig } of characters) {
    const from = joints.length;
    joints.push(
      ...(from === 0
        ? rig.joints
        : rig.joints.map((joint) => (joint.parent < 0 ? joint : { ...joint, parent: joint.parent + from }))),
    );
  }
  joints.push(...props.map(jointOf));
  const faces = characters.flatMap((one) => facesOf(one.rig));
  const rig = {
    joints,
    ...(faces.length > 0 && { faces }),
    characters: characters.map((one) => one.rig),
  };
  return before ? sharingTopology(rig, before) : rig;
}
