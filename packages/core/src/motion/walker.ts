import { facing } from '../rig/facing.js';
import { placePose } from '../rig/placed.js';
import { globalOrientations, pointInWorld, restPose } from '../rig/pose.js';
import { type CompiledLimb, reachIn } from '../rig/reach.js';
import { positionsAtRest } from '../rig/rest.js';
import { isWithin, jointChildren, type Rig } from '../rig/rig.js';
import { rolesOf } from '../rig/roles.js';
import { rootOf } from '../rig/topology.js';
import { LEG_PHASES } from './gait.js';

/** A leg that walks, and places of its foot at rest, in the scene. */
export interface WalkingLeg {
  readonly limb: CompiledLimb;
  /** Part of a cycle by which it is behind the left (hind) leg. */
  readonly behind: number;
  readonly ankle: readonly number[];
  /** What the foot comes down on and leaves by. */
  readonly heel: readonly number[];
  readonly ball: readonly number[];
  /** The joint at the ball, where there is one; without it it is a paw, which turns about its own joint or its tip. */
  readonly toes: number | undefined;
  /** How far the ankle can be from the top of the leg. */
  readonly reach: number;
}

/** An arm that swings: its joints, and where it points at rest. */
export interface SwingingArm {
  readonly side: 'left' | 'right';
  readonly limb: CompiledLimb;
  readonly way: readonly number[];
}

/** What of a rig walks. Places are in the scene at rest, in units of the rig. */
export interface Walker {
  readonly rig: Rig;
  readonly legs: readonly WalkingLeg[];
  readonly arms: readonly SwingingArm[];
  readonly root: number;
  readonly hips: number;
  /** From the hips up. */
  readonly spine: readonly number[];
  readonly neck: readonly number[];
  /** Unit vectors along the floor. */
  readonly forward: readonly number[];
  readonly left: readonly number[];
  readonly positions: Float64Array;
  readonly orientations: Float64Array;
  /** How high the legs begin above the floor. */
  readonly height: number;
}

/** How far the heel is behind the ankle, as a part of the way to the ball. */
const FAR_AWAY = 10;
const HEEL_BACK = 0.45;
/** How high toes may rest as a part of the leg to stand on a floor at 0. */
const SOLE = 0.15;

/** What walks of a rig with two legs or four; undefined where there are none that bend. */
export function walkerOf(rig: Rig, limbs: readonly CompiledLimb[]): Walker | undefined {
  const named = (name: string) => limbs.find((limb) => limb.name === name);
  const four = ['leftHind', 'leftFore', 'rightHind', 'rightFore'] as const;
  const two = ['left', 'right'] as const;
  const names = four.every((name) => named(`${name}Leg`)) ? four : two;
  if (!names.every((name) => named(`${name}Leg`))) return undefined;
  const positions = positionsAtRest(rig);
  const { matrices } = placePose(rig, restPose(rig));
  const place = (j: number) => [...positions.subarray(3 * j, 3 * j + 3)];
  const ahead = facing(rig, positions);
  const length = Math.hypot(...ahead);
  const forward = ahead.map((value) => value / length);
  const roles = rolesOf(rig);
  const joints = (pattern: RegExp) =>
    roles.flatMap((role, j) => (role && pattern.test(role.role) ? [j] : []));
  const tops = names.map((name) => place(named(`${name}Leg`)!.chain[0]));
  const ends = names.map((name) => named(`${name}Leg`)!.chain.at(-1)!);
  const lowest = Math.min(
    ...ends.flatMap((end) =>
      joints(/Foot|Toes|Hand/)
        .filter((j) => isWithin(rig, j, end))
        .map((j) => place(j)[1]),
    ),
    ...ends.map((end) => place(end)[1]),
  );
  const top = tops.reduce((sum, [, y]) => sum + y, 0) / tops.length;
  const floor = lowest >= 0 && lowest < SOLE * (top - lowest) ? 0 : lowest;
  const root = rootOf(rig);
  const [hips = root] = joints(/^hips$/);
  return {
    rig,
    root,
    hips,
    spine: joints(/^spine\d*$/),
    neck: joints(/^(neck\d*|head)$/),
    forward,
    left: [forward[2], 0, -forward[0]],
    positions,
    orientations: globalOrientations(rig, restPose(rig), new Float64Array(4 * rig.joints.length)),
    height: top - floor,
    legs: names.map((name): WalkingLeg => {
      const limb = named(`${name}Leg`)!;
      const end = limb.chain.at(-1)!;
      const ankle = place(end);
      const toes = names === two ? toesOf(rig, end, joints(/Toes$/)) : undefined;
      const [tip] = rig.joints[end].ends;
      const pivot = tip ? pointInWorld(matrices, end, tip) : ankle;
      const ball = toes === undefined ? pivot : place(toes);
      const heel = moved(ankle, forward, -HEEL_BACK * along(ball, ankle, forward));
      return {
        limb,
        behind: LEG_PHASES[name],
        ankle,
        ball,
        heel: toes === undefined ? pivot : [heel[0], floor, heel[2]],
        toes,
        reach: longestReach(rig, limb),
      };
    }),
    arms: two.flatMap((side): SwingingArm[] => {
      const limb = named(`${side}Arm`);
      if (!limb) return [];
      const [upper, lower] = limb.chain.map(place);
      return [{ side, limb, way: lower.map((value, axis) => value - upper[axis]) }];
    }),
  };
}

/** How far the end of a limb can be from its top: its inner joints bend alike, so that not every limb becomes straight. */
function longestReach(rig: Rig, limb: CompiledLimb): number {
  const placed = placePose(rig, restPose(rig));
  const place = (j: number) => [12, 13, 14].map((o) => placed.matrices[16 * j + o]);
  const [top, end] = [limb.chain[0], limb.chain.at(-1)!];
  const from = place(top);
  reachIn(
    placed,
    limb,
    place(end).map((value, axis) => from[axis] + FAR_AWAY * (value - from[axis])),
  );
  return Math.hypot(...place(end).map((value, axis) => value - from[axis]));
}

/** The toes that hang on a foot. */
const toesOf = (rig: Rig, foot: number, toes: readonly number[]): number | undefined =>
  jointChildren(rig)[foot].find((child) => toes.includes(child));

const along = (to: readonly number[], from: readonly number[], way: readonly number[]): number =>
  way.reduce((sum, value, axis) => sum + value * (to[axis] - from[axis]), 0);

const moved = (place: readonly number[], way: readonly number[], by: number): number[] =>
  place.map((value, axis) => value + way[axis] * by);
