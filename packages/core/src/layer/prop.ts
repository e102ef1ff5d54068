import { eulerToQuaternion, RADIANS } from '../math/euler.js';
import { rigHeight } from '../rig/pose.js';
import type { Joint, Quaternion, Rig, Vector3 } from '../rig/rig.js';
import { characterOf } from '../rig/rig.js';
import { sharingTopology } from '../rig/topology.js';

/** What a prop without a file looks like: its size along x, y and z in units of the rig, before it is turned. */
export const SHAPES = ['box', 'ball', 'cylinder'] as const;
export type PropShape = (typeof SHAPES)[number];

/** A model that a prop looks like, as the GLB file that it came in. */
export interface PropModel {
  readonly id: string;
  readonly file: string;
  readonly bytes: Uint8Array;
}

/** A rigid thing in the scene. It is a joint more, called by its name. */
export interface Prop {
  readonly name: string;
  readonly model?: PropModel;
  readonly shape: PropShape;
  readonly size: Vector3;
  /** Where it was put: its rest. */
  readonly at: Vector3;
  /** Degrees, as `Ry · Rx · Rz`. */
  readonly turn: Vector3;
  readonly hidden?: boolean;
}

/** The size of a new prop: a fifth of the character, to a round number. */
export function sizeFor(rig: Rig): Vector3 {
  const size = Number((0.2 * rigHeight(rig)).toPrecision(1)) || 1;
  return [size, size, size];
}

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
 * A character's rig with props: joints without a parent after its own. The same rig where there are none. It shares the
 * topology of the rig that is given where a prop has moved and nothing else.
 */
export function rigWithProps(rig: Rig, props: readonly Prop[]): Rig {
  const character = characterOf(rig);
  if (props.length === 0) return character;
  return sharingTopology({ joints: [...character.joints, ...props.map(jointOf)], character }, rig);
}
