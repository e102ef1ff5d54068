import { eulerToQuaternion, RADIANS } from '../math/euler.js';
import { facesOf } from '../rig/members.js';
import {
  type Frame,
  type Joint,
  type Quaternion,
  type Rig,
  type RigCharacter,
  sceneName,
  type Vector3,
} from '../rig/rig.js';
import { sharingTopology } from '../rig/topology.js';
import type { Take } from '../take/take.js';
import type { Prop } from './prop.js';

/** A skinned figure, as the file that it came in. */
export interface Figure {
  readonly id: string;
  readonly bytes: Uint8Array;
}

/** Where a character stands: moved to `at`, turned about Y by `heading` degrees, scaled. */
export interface Stand {
  readonly at: Vector3;
  readonly heading: number;
  readonly scale: number;
}

/** Where a character stands of which nothing is said. */
export const AT_ORIGIN: Stand = { at: [0, 0, 0], heading: 0, scale: 1 };

/** A character: its joints alone, and what it looks like where a file says so. */
export interface Character {
  /** What it is called: of all but the first it stands, with a slash, before the names of its joints in the scene. */
  readonly name: string;
  readonly rig: Rig;
  readonly figure?: Figure;
  /** Of all but the first, which stands in the scene itself. */
  readonly stand?: Stand;
}

/** Who and what is moved. Names of joints and props are unique in it; there is at least one character. */
export interface Scene {
  readonly characters: readonly Character[];
  /** In the order of their joints. */
  readonly props: readonly Prop[];
}

/** A scene of one character, without props. */
export const sceneOf = (rig: Rig, figure?: Figure, name = ''): Scene => ({
  characters: [{ name, rig, ...(figure && { figure }) }],
  props: [],
});

/** The first character, which the stack file calls the rig. */
export const characterIn = ({ characters }: Scene): Character => characters[0];

/** The figures of all characters of a scene. */
export const figuresIn = ({ characters }: Scene): Figure[] =>
  characters.flatMap(({ figure }) => figure ?? []);

/** A scene without the files that say what it looks like, of which nothing that moves hangs. */
export const withoutLooks = ({ characters, props }: Scene): Scene => ({
  characters: characters.map(({ figure: _, ...character }) => character),
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

/** The frame that a stand is. */
export function frameOfStand({ at, heading, scale }: Stand): Frame {
  const half = (heading / 2) * RADIANS;
  return { at, turn: [0, Math.sin(half), 0, Math.cos(half)], scale };
}

/**
 * The rig of a scene: the joints of its characters one after the other, then a joint for each prop. The rig of the character
 * itself where there is one alone. It shares the topology of `before` where that is the same.
 */
export function rigOfScene({ characters, props }: Scene, before?: Rig): Rig {
  if (characters.length === 1 && props.length === 0) return characters[0].rig;
  const known = characters.map((character, k): RigCharacter => {
    const one = { name: k === 0 ? '' : character.name, rig: character.rig };
    return character.stand && k > 0 ? { ...one, frame: frameOfStand(character.stand) } : one;
  });
  const joints: Joint[] = [];
  for (const { name, rig } of known) {
    const from = joints.length;
    joints.push(
      ...(name === ''
        ? rig.joints
        : rig.joints.map((joint) => ({
            ...joint,
            name: sceneName(name, joint.name),
            parent: joint.parent < 0 ? -1 : joint.parent + from,
          }))),
    );
  }
  joints.push(...props.map(jointOf));
  const faces = known.flatMap(({ name, rig }) =>
    name === '' ? facesOf(rig) : facesOf(rig).map((face) => ({ ...face, name: sceneName(name, face.name) })),
  );
  const rig = { joints, ...(faces.length > 0 && { faces }), characters: known };
  return before ? sharingTopology(rig, before) : rig;
}

/** The character whose skeleton a take is of, the first where none is: the one that it was fitted to. Props may stand behind its joints. */
export function characterOfTake({ characters }: Scene, { rig }: Pick<Take, 'rig'>): number {
  if (characters.length === 1) return 0;
  const text = (joints: readonly Joint[]) => JSON.stringify(joints);
  const is = ({ joints }: Rig) => text(rig.joints.slice(0, joints.length)) === text(joints);
  return Math.max(
    0,
    characters.findIndex((one) => one.rig === rig || is(one.rig)),
  );
}
