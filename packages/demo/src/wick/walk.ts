import { type Pose, restPose } from '@evlay/core';
import type { Samples } from '@evlay/core/take';
import { cycle, wave } from '../cycle.js';
import { bend, puppetOf, recorded } from '../puppet.js';
import { about, aim, chain, inverse, type Turn, turned } from '../turn.js';
import { add, cross, length, normal, scale, sub, type V } from '../vector.js';
import { ARM, PALM, placeOf, WICK } from './skeleton.js';

export const FPS = 30;
export const FRAMES = 121;

/** Frames of one cycle, metres of one cycle, and the part of it in which a foot stands. */
export const CYCLE = 33;
export const STRIDE = 1.16;
const STANCE = 0.63;

const X: V = [1, 0, 0];
const Y: V = [0, 1, 0];
const Z: V = [0, 0, 1];
const LEFT = 'Left';
const RIGHT = 'Right';
type Side = typeof LEFT | typeof RIGHT;

// The walk, phase 0 at the strike of the left heel. Degrees and metres.
const footPitch = cycle(
  [0, 17],
  [0.075, 0],
  [0.36, 0],
  [0.52, -20],
  [STANCE, -52],
  [0.7, -46],
  [0.84, 2],
  [0.94, 20],
);
const rise = wave(0.017, 0.3, 2);
const sway = wave(0.024, 0.31);
const surge = wave(0.012, 0.06, 2);
const hipTurn = wave(-7, 0.02);
const hipList = wave(3.6, 0.27);
const chestTurn = wave(14, 0.04);
const chestList = wave(-4.5, 0.27);
const nod = wave(1.8, 0.1, 2);
const HIP_DROP = 0.046;
/** Degrees by which the arm with the lantern is held away from the body. */
const LANTERN_CLEAR = 17;

const { setTurn, orientation, place } = puppetOf(WICK);

/** Where a foot is: its ankle, how far it is pitched (toes up is positive), how far it is through its swing. */
interface Foot {
  readonly ankle: V;
  readonly pitch: number;
  /** 0 while the foot bears, then rising to 1 at the next strike. */
  readonly swing: number;
}

const HEEL_BACK = 0.062;

/** The way a foot points, a little outward. */
const outward = (side: Side): Turn => about(Y, side === LEFT ? 7 : -7);

function standing(side: Side, phase: number, strike: number): Foot {
  const foot = placeOf(`${side}Foot`);
  const toes = placeOf(`${side}Toes`);
  const heel: V = [foot[0] * 0.82, 0, strike];
  const pitch = footPitch(phase);
  const tilt = chain(outward(side), about(X, -pitch));
  // Rolls over the heel, then over the ball of the foot.
  if (phase < 0.2) return { ankle: add(heel, turned(tilt, [0, foot[1], HEEL_BACK])), pitch, swing: 0 };
  const forward: V = [toes[0] - foot[0], toes[1], HEEL_BACK + toes[2] - foot[2]];
  const ball = add(heel, turned(outward(side), forward));
  return { ankle: add(ball, turned(tilt, sub(foot, toes))), pitch, swing: 0 };
}

function footAt(side: Side, frame: number): Foot {
  const turns = frame / CYCLE + (side === LEFT ? 0 : 0.5);
  const count = Math.floor(turns);
  const phase = turns - count;
  const strikeOf = (n: number) => (n - (side === LEFT ? 0 : 0.5)) * STRIDE + 0.27;
  if (phase <= STANCE) return standing(side, phase, strikeOf(count));
  const from = standing(side, STANCE, strikeOf(count)).ankle;
  const to = standing(side, 0, strikeOf(count + 1)).ankle;
  const u = (phase - STANCE) / (1 - STANCE);
  const e = 1e-3;
  const before = standing(side, STANCE - e, strikeOf(count)).ankle;
  const after = standing(side, e, strikeOf(count + 1)).ankle;
  const speedOut = scale(sub(from, before), (1 - STANCE) / e);
  const speedIn = scale(sub(after, to), (1 - STANCE) / e);
  const hermite = (axis: number) => {
    const [p0, p1, m0, m1] = [from[axis], to[axis], speedOut[axis], speedIn[axis]];
    return (
      (2 * u ** 3 - 3 * u ** 2 + 1) * p0 +
      (u ** 3 - 2 * u ** 2 + u) * m0 +
      (-2 * u ** 3 + 3 * u ** 2) * p1 +
      (u ** 3 - u ** 2) * m1
    );
  };
  // The toes come clear of the ground at once and stay clear.
  const lift = 0.016 * Math.sin(Math.PI * u) ** 2 + 0.03 * u * (1 - u) ** 2;
  return { ankle: [hermite(0), hermite(1) + lift, hermite(2)], pitch: footPitch(phase), swing: u };
}

/** Turns thigh, shin, foot and toes so that the ankle is where it is wanted (law of cosines at the knee). */
function setLeg(pose: Pose, side: Side, foot: Foot): void {
  const s = side === LEFT ? 1 : -1;
  const hip = place(pose, `${side}UpperLeg`);
  const thigh = sub(placeOf(`${side}LowerLeg`), placeOf(`${side}UpperLeg`));
  const shin = sub(placeOf(`${side}Foot`), placeOf(`${side}LowerLeg`));
  const hinge = normal(add(X, scale(Z, -0.09 * s)));
  const forward = cross(hinge, sub(hip, foot.ankle));
  const { middle: knee, end } = bend(hip, foot.ankle, length(thigh), length(shin), forward);
  const upper = aim(thigh, X, sub(knee, hip), hinge);
  const lower = aim(shin, X, sub(end, knee), hinge);
  const sole = chain(outward(side), about(X, -foot.pitch));
  // On the ball of the foot the toes stay flat; in the air they give way a little.
  const give = 0.18 * Math.min(1, 4 * foot.swing);
  const toes = foot.pitch < 0 ? chain(outward(side), about(X, -foot.pitch * give)) : sole;
  const hips = orientation(pose, 'Hips');
  setTurn(pose, `${side}UpperLeg`, chain(inverse(hips), upper));
  setTurn(pose, `${side}LowerLeg`, chain(inverse(upper), lower));
  setTurn(pose, `${side}Foot`, chain(inverse(lower), sole));
  setTurn(pose, `${side}Toes`, chain(inverse(sole), toes));
}

/** Swings an arm: degrees forward at the shoulder, bend of the elbow, curl of the fingers, and degrees away from the body. */
export function setArm(pose: Pose, side: Side, forward: number, elbow: number, curl: number, out = 0): void {
  const s = side === LEFT ? 1 : -1;
  const arm: V = [ARM[0] * s, ARM[1], ARM[2]];
  const hinge = cross(arm, Z);
  const flexion = cross(arm, [PALM[0] * s, PALM[1], PALM[2]]);
  setTurn(pose, `${side}UpperArm`, chain(about(X, -forward), about(Y, 8 * s), about(Z, (out - 35) * s)));
  setTurn(pose, `${side}Forearm`, about(hinge, elbow));
  setTurn(pose, `${side}Hand`, about(flexion, 6));
  for (const [k, finger] of ['Index', 'Middle', 'Ring', 'Little'].entries()) {
    for (let bone = 1; bone <= 3; bone++)
      setTurn(pose, `${side}${finger}${bone}`, about(flexion, curl + 3 * k + 4 * bone));
  }
  setTurn(pose, `${side}Thumb2`, about(flexion, curl * 0.5));
  setTurn(pose, `${side}Thumb3`, about(flexion, curl * 0.6));
}

/** Lets the lantern hang down from the hand, tipped by some degrees. */
export function hangLantern(pose: Pose, degrees: number): Turn {
  return chain(inverse(orientation(pose, 'RightHand')), about(X, degrees));
}

/** Wick's pose at a frame of the walk. */
function walkPose(frame: number): Pose {
  const phase = frame / CYCLE;
  const pose = restPose(WICK);
  const rest = placeOf('Hips');
  const travel = (STRIDE / CYCLE) * frame;
  pose.translations.set([sway(phase), rest[1] - HIP_DROP + rise(phase), travel + surge(phase)], 0);
  setTurn(pose, 'Hips', chain(about(Y, hipTurn(phase)), about(Z, hipList(phase)), about(X, 3)));
  const turn = chestTurn(phase) / 3;
  const list = chestList(phase) / 3;
  for (const name of ['Spine', 'Chest', 'UpperChest'])
    setTurn(pose, name, chain(about(Y, turn), about(Z, list), about(X, 0.6)));
  const upright = -(hipTurn(phase) + chestTurn(phase)) / 2;
  setTurn(pose, 'Neck', chain(about(Y, upright), about(X, 4 + nod(phase) / 2)));
  setTurn(pose, 'Head', chain(about(Y, upright), about(X, -7 + nod(phase))));
  const left = wave(21, 0.53)(phase);
  const right = wave(9, 0.03)(phase);
  setArm(pose, LEFT, left + 3, 20 + 0.45 * (left + 21), 17);
  // The lantern swings clear of the coat.
  setArm(pose, RIGHT, right + 9, 20 + 0.35 * (right + 9), 52, LANTERN_CLEAR);
  for (const side of [LEFT, RIGHT] as const) setLeg(pose, side, footAt(side, frame));
  setTurn(pose, 'Lantern', hangLantern(pose, wave(7, 0.17)(phase)));
  return pose;
}

/** The walk as samples of every joint, {@link FRAMES} at {@link FPS} a second. */
export const walk = (): Samples => recorded(WICK, FRAMES, FPS, walkPose);

/** How far a foot comes to lie from where it has to be, at worst over the walk, in metres. */
export function reachError(): number {
  let worst = 0;
  for (let frame = 0; frame < FRAMES; frame++) {
    const pose = walkPose(frame);
    for (const side of [LEFT, RIGHT] as const)
      worst = Math.max(worst, length(sub(place(pose, `${side}Foot`), footAt(side, frame).ankle)));
  }
  return worst;
}
