import { RADIANS } from '../math/euler.js';
import { multiply, rotate } from '../math/quaternion.js';
import { turnBetween } from '../math/turn.js';
import { orientJoint, type Placed, placeAll, placeBelow, placePose, putJoint } from '../rig/placed.js';
import { copyPose, type Pose, restPose } from '../rig/pose.js';
import { reachIn } from '../rig/reach.js';
import { carriageAt, footPitch, hermite, strideOf, type Walk } from './gait.js';
import type { SwingingArm, Walker, WalkingLeg } from './walker.js';

type V = readonly number[];

/** How far feet are from the middle, as a part of where they rest. */
const NARROW = 0.75;
/** A step, as a part of the leg, at which a person's foot and hips turn as they usually do. */
const USUAL_STEP = 0.79;
/** Part of its reach to which a leg stretches, and from which it resists in the air: of feet, and of paws. */
const STRETCHED = { foot: 0.985, paw: 0.96 };
const BENT = { foot: 0.96, paw: 0.92 };
/** Part of the leg by which hips are always lower than at rest. */
const LEAST_DROP = 0.008;
/** Parts of the leg by which a foot is lifted in the middle of its swing and at its beginning, and a paw in the middle. */
const LIFT = { foot: [0.004, 0.03], paw: [0.07, 0.02] };
/** Degrees: arms away from the body, elbows at rest, and their bend for each degree of swing. */
const ARM_OUT = 9;
const ELBOW = 20;
const ELBOW_SWINGS = 0.4;
/** The middle of the swing of arms behind the body, as a part of it. */
const ARM_BACK = 0.1;
/** Part of its pitch by which toes bend on in the air. */
const TOES_FOLLOW = 0.18;
/** Part of a cycle to both sides over which speeds are measured. */
const STEP = 1e-4;
/** Moments of a cycle at which it is looked how far legs have to reach. */
const LOOKED = 60;

const kindOf = ({ toes }: WalkingLeg): 'foot' | 'paw' => (toes === undefined ? 'paw' : 'foot');

/** A walk that is made ready for a body. */
export interface WalkPlan {
  readonly walker: Walker;
  readonly walk: Walk;
  readonly metresPerUnit: number;
  /** Metres of a cycle, in units of the rig. */
  readonly stride: number;
  /** How large steps are against usual ones, for what turns along. */
  readonly size: number;
  /** By how much the hips are lower than at rest, so that legs reach. */
  readonly drop: number;
}

/** Makes a walk ready: finds how low the hips go so that no leg has to be longer than it is. */
export function planWalk(walker: Walker, walk: Walk, metresPerUnit: number): WalkPlan {
  const stride = strideOf(walk) / metresPerUnit;
  const size = Math.min(1.25, Math.max(0.25, stride / 2 / walker.height / USUAL_STEP));
  const high: WalkPlan = { walker, walk, metresPerUnit, stride, size, drop: 0 };
  let drop = LEAST_DROP * walker.height;
  const placed = placePose(walker.rig, restPose(walker.rig));
  for (let k = 0; k < LOOKED; k++) {
    carry(high, k / LOOKED, placed);
    for (const leg of walker.legs) {
      if (k / LOOKED - leg.behind - Math.floor(k / LOOKED - leg.behind) > walk.stance) continue;
      const { chain } = leg.limb;
      const reach = STRETCHED[kindOf(leg)] * leg.reach;
      const [top, goal] = [placeAt(placed, chain[0]), ankleAt(high, leg, k / LOOKED).place];
      const across = (goal[0] - top[0]) ** 2 + (goal[2] - top[2]) ** 2;
      drop = Math.max(drop, top[1] - goal[1] - Math.sqrt(Math.max(0, reach ** 2 - across)));
    }
  }
  return { ...high, drop };
}

/** The pose at a part of the cycle; parts beyond 1 are further cycles. The root goes on with them. */
export function walkPose(plan: WalkPlan, part: number, pose: Pose): void {
  const { rig, legs } = plan.walker;
  const placed = placePose(rig, pose);
  carry(plan, part, placed);
  for (const leg of legs) {
    const { place, pitch, swing } = ankleAt(plan, leg, part);
    if (swing > 0) comeNearer(place, placeAt(placed, leg.limb.chain[0]), leg, swing);
    const end = leg.limb.chain.at(-1)!;
    reachIn(placed, leg.limb, place);
    orient(placed, end, turned(plan.walker.left, -pitch), plan.walker);
    if (leg.toes === undefined) continue;
    // On the ball of the foot toes stay flat; in the air they give way a little.
    const give = pitch < 0 ? TOES_FOLLOW * Math.min(1, 4 * swing) : 1;
    orient(placed, leg.toes, turned(plan.walker.left, -pitch * give), plan.walker);
  }
}

/** Puts hips, spine, head and arms where they are at a part of the cycle. */
function carry(
  { walker, walk, metresPerUnit, stride, size, drop }: WalkPlan,
  part: number,
  placed: Placed,
): void {
  const { rig, root, hips, spine, neck, forward, left, positions, arms } = walker;
  const carriage = carriageAt(part, walk, size);
  const centimetre = 0.01 / metresPerUnit;
  copyPose(placed.pose, restPose(rig));
  placeAll(placed);
  const onFloor = (j: number, more: (axis: number) => number) =>
    Float64Array.from(
      [0, 1, 2],
      (axis) => positions[3 * j + axis] + stride * part * forward[axis] + more(axis),
    );
  const up = [0, carriage.up * centimetre - drop, 0];
  const sway = (axis: number) => up[axis] + carriage.left * centimetre * left[axis];
  if (root !== hips) {
    putJoint(
      placed,
      root,
      onFloor(root, () => 0),
    );
    placeBelow(placed, root);
  }
  putJoint(placed, hips, onFloor(hips, sway));
  const trunk = (turn: number, list: number, lean: number) => {
    const out = turned([0, 1, 0], turn);
    multiply(out, 0, out, 0, turned(forward, list), 0);
    multiply(out, 0, out, 0, turned(left, lean), 0);
    return out;
  };
  orient(placed, hips, trunk(carriage.turn, carriage.list, 0.4 * walk.lean), walker);
  for (const [k, j] of spine.entries()) {
    const w = (k + 1) / spine.length;
    const turn = (1 - w) * carriage.turn + w * carriage.chestTurn;
    orient(placed, j, trunk(turn, (1 - 1.3 * w) * carriage.list, (0.4 + 0.6 * w) * walk.lean), walker);
  }
  for (const [k, j] of neck.entries()) {
    const rest = 1 - (k + 1) / neck.length;
    orient(placed, j, trunk(rest * carriage.chestTurn, 0, rest * walk.lean), walker);
  }
  for (const arm of arms) {
    const swing = arm.side === 'left' ? carriage.leftArm : carriage.rightArm;
    swingArm(walker, arm, swing - ARM_BACK * walk.arms, placed);
  }
}

/** Lets an arm hang down and swings it forward by degrees. */
function swingArm(walker: Walker, { side, limb, way }: SwingingArm, degrees: number, placed: Placed): void {
  const out = (side === 'left' ? 1 : -1) * Math.sin(ARM_OUT * RADIANS);
  const down = walker.left.map((value, axis) => out * value - (axis === 1 ? Math.cos(ARM_OUT * RADIANS) : 0));
  const turn = turned(walker.left, -degrees);
  multiply(turn, 0, turn, 0, turnBetween(way, down), 0);
  const [upper, lower] = limb.chain;
  orient(placed, upper, turn, walker);
  const hinge = [...limb.hinges[0]];
  rotate(hinge, 0, placed.orientations, 4 * upper, hinge, 0);
  const bent = turned(hinge, Math.max(0, ELBOW + ELBOW_SWINGS * degrees));
  multiply(bent, 0, bent, 0, turn, 0);
  orient(placed, lower, bent, walker);
}

/** Where an ankle is, how the foot is pitched in degrees (toes up positive), and how far it is through its swing. */
interface Ankle {
  readonly place: number[];
  readonly pitch: number;
  readonly swing: number;
}

function ankleAt(plan: WalkPlan, leg: WalkingLeg, part: number): Ankle {
  const { stance } = plan.walk;
  const count = Math.floor(part - leg.behind + 1e-12);
  const own = part - leg.behind - count;
  const pitch = pitchAt(plan, leg, own);
  if (own <= stance) return { place: standing(plan, leg, own, count), pitch, swing: 0 };
  const [from, to] = [standing(plan, leg, stance, count), standing(plan, leg, 0, count + 1)];
  const before = standing(plan, leg, stance - STEP, count);
  const after = standing(plan, leg, STEP, count + 1);
  const u = (own - stance) / (1 - stance);
  const each = (1 - stance) / STEP;
  const [middle, early] = LIFT[kindOf(leg)].map((value) => value * plan.walker.height);
  const lift = middle * Math.sin(Math.PI * u) ** 2 + 6.75 * early * u * (1 - u) ** 2;
  return {
    place: from.map(
      (value, axis) =>
        hermite(u, value, to[axis], (value - before[axis]) * each, (after[axis] - to[axis]) * each) +
        (axis === 1 ? lift : 0),
    ),
    pitch,
    swing: u,
  };
}

/**
 * Brings an ankle in the air nearer to the top of its leg where the leg would become straight: it stays about as bent as when it
 * leaves the floor and comes down, so that the knee does not snap.
 */
function comeNearer(place: number[], top: V, leg: WalkingLeg, swing: number): void {
  const way = minus(place, top);
  const [distance, most] = [Math.hypot(...way), BENT[kindOf(leg)] * leg.reach];
  if (distance <= most) return;
  const room = STRETCHED[kindOf(leg)] * leg.reach - most;
  const middle = (1 - swing ** 6) * (1 - (1 - swing) ** 6);
  const soft = most + room * Math.tanh((distance - most) / room);
  const scale = (middle * soft + (1 - middle) * distance) / distance;
  for (let axis = 0; axis < 3; axis++) place[axis] = top[axis] + scale * way[axis];
}

const pitchAt = ({ walk, size }: WalkPlan, { toes }: WalkingLeg, own: number): number =>
  footPitch(own, walk.stance, toes === undefined, size);

/** The ankle of a foot that stands: it rolls over the heel, then over the ball. */
function standing(plan: WalkPlan, leg: WalkingLeg, own: number, count: number): number[] {
  const { walker, stride, walk } = plan;
  const { forward, left } = walker;
  const pitch = pitchAt(plan, leg, own);
  const pivot = pitch < 0 ? leg.ball : leg.heel;
  const arm = leg.ankle.map((value, axis) => value - pivot[axis]);
  rotate(arm, 0, turned(left, -pitch), 0, arm, 0);
  // The foot is where it rests when the body is over it in the middle of the stance; one with toes before its middle.
  const ahead = leg.toes === undefined ? 0 : dot(minus(leg.ball, leg.ankle), forward) / 2;
  const gone = stride * (count + leg.behind + walk.stance / 2) - ahead;
  const aside =
    (NARROW - 1) *
    dot(minus(leg.ankle, walker.positions.subarray(3 * walker.hips, 3 * walker.hips + 3)), left);
  return pivot.map((value, axis) => value + arm[axis] + gone * forward[axis] + aside * left[axis]);
}

/** Gives a joint its orientation at rest, turned in the scene. */
function orient(placed: Placed, j: number, turn: Float64Array, { orientations }: Walker): void {
  const out = new Float64Array(4);
  multiply(out, 0, turn, 0, orientations, 4 * j);
  orientJoint(placed, j, out);
  placeBelow(placed, j);
}

/** A turn by degrees about a unit vector. */
function turned(axis: V, degrees: number): Float64Array {
  const half = (degrees * RADIANS) / 2;
  const sin = Math.sin(half);
  return Float64Array.of(axis[0] * sin, axis[1] * sin, axis[2] * sin, Math.cos(half));
}

const placeAt = ({ matrices }: Placed, j: number): number[] => [12, 13, 14].map((o) => matrices[16 * j + o]);

const minus = (a: ArrayLike<number>, b: ArrayLike<number>): number[] =>
  [0, 1, 2].map((axis) => a[axis] - b[axis]);
const dot = (a: V, b: V): number => a.reduce((sum, value, axis) => sum + value * b[axis], 0);
