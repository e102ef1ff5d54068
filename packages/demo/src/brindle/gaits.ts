import { type Pose, restPose } from '@evlay/core';
import type { Samples } from '@evlay/core/take';
import { cycle, wave } from '../cycle.js';
import { bend, puppetOf, recorded } from '../puppet.js';
import { about, aim, chain, inverse, turned } from '../turn.js';
import { length, scale, sub, type V } from '../vector.js';
import { BRINDLE, placeOf } from './skeleton.js';

export const FPS = 30;

/** A way of going: frames and metres of a cycle, and for each leg when in the cycle it comes down. */
export interface Gait {
  readonly frames: number;
  readonly stride: number;
  /** The part of the cycle in which a foot stands. */
  readonly stance: number;
  readonly strikes: { readonly [leg in Leg]: number };
  /** How high the toes are lifted, and how far the body bobs, in metres. */
  readonly lift: number;
  readonly bob: number;
  /** How far the head nods, in degrees, and how high it is carried. */
  readonly nod: number;
  readonly carriage: number;
  /** How far the back and the tail swing from side to side, in degrees. */
  readonly sway: number;
}

const LEGS = ['LeftFore', 'RightFore', 'LeftHind', 'RightHind'] as const;
type Leg = (typeof LEGS)[number];

/** Four beats: each hind foot, then the fore foot of its side. */
export const WALK: Gait = {
  frames: 30,
  stride: 0.6,
  stance: 0.63,
  strikes: { LeftHind: 0, LeftFore: 0.25, RightHind: 0.5, RightFore: 0.75 },
  lift: 0.05,
  bob: 0.006,
  nod: 5,
  carriage: -4,
  sway: 4,
};

/** Two beats: the feet of a diagonal together, and a moment in which none stands. */
export const TROT: Gait = {
  frames: 18,
  stride: 0.86,
  stance: 0.44,
  strikes: { LeftHind: 0.02, RightFore: 0, RightHind: 0.52, LeftFore: 0.5 },
  lift: 0.085,
  bob: 0.016,
  nod: 1.5,
  carriage: 6,
  sway: 2,
};

const X: V = [1, 0, 0];
const Y: V = [0, 1, 0];
const Z: V = [0, 0, 1];
const { setTurn, orientation, place } = puppetOf(BRINDLE);

/** How far the paw is tipped back over its toes, in degrees, by the phase of the leg: it rolls off and hangs. */
const tips = (gait: Gait, hind: boolean) =>
  cycle(
    [0, hind ? 4 : 0],
    [0.5 * gait.stance, 6],
    [gait.stance, hind ? 42 : 36],
    [gait.stance + 0.3 * (1 - gait.stance), hind ? 56 : 58],
    [gait.stance + 0.75 * (1 - gait.stance), hind ? 18 : 20],
  );

/** Where the toes of a leg are, in the scene, and how far the paw is tipped. */
function toesAt(gait: Gait, leg: Leg, frame: number): { toes: V; tip: number } {
  const rest = placeOf(`${leg}Toes`);
  const turns = frame / gait.frames - gait.strikes[leg];
  const count = Math.floor(turns);
  const phase = turns - count;
  const reach = gait.stance * gait.stride;
  const strike =
    rest[2] + (count + gait.strikes[leg]) * gait.stride + reach / 2 + (leg.endsWith('Hind') ? 0.03 : 0);
  const x = rest[0] * 0.82;
  const tip = tips(gait, leg.endsWith('Hind'))(phase);
  if (phase <= gait.stance) return { toes: [x, rest[1], strike], tip };
  const u = (phase - gait.stance) / (1 - gait.stance);
  // Leaves and comes down with the speed of the ground.
  const eased = u - Math.sin(2 * Math.PI * u) / (2 * Math.PI);
  return { toes: [x, rest[1] + gait.lift * Math.sin(Math.PI * u) ** 2, strike + gait.stride * eased], tip };
}

const TO_REST = {
  Fore: ['ForeLeg', 'ForeShin', 'ForePaw', 'ForeToes'],
  Hind: ['HindThigh', 'HindShin', 'HindPaw', 'HindToes'],
};

/** Turns the bones of a leg so that its toes are where they are wanted. */
function setLeg(pose: Pose, leg: Leg, gait: Gait, frame: number): void {
  const side = leg.startsWith('Left') ? 'Left' : 'Right';
  const hind = leg.endsWith('Hind');
  const [upper, lower, paw, toes] = TO_REST[hind ? 'Hind' : 'Fore'].map((name) => side + name);
  const { toes: wanted, tip } = toesAt(gait, leg, frame);
  if (!hind) {
    // The shoulder blade swings with the leg.
    const ahead = (wanted[2] - place(pose, 'Chest')[2]) * -52;
    setTurn(pose, `${side}ForeShoulder`, about(X, ahead + 6));
  }
  const rest = (a: string, b: string) => sub(placeOf(b), placeOf(a));
  const pawTurn = about(X, tip);
  const ankle = sub(wanted, turned(pawTurn, rest(paw, toes)));
  const start = place(pose, upper);
  // Elbows point back, stifles forward.
  const { middle, end } = bend(
    start,
    ankle,
    length(rest(upper, lower)),
    length(rest(lower, paw)),
    hind ? Z : scale(Z, -1),
  );
  const holder = orientation(pose, hind ? 'Hips' : `${side}ForeShoulder`);
  const first = aim(rest(upper, lower), X, sub(middle, start), X);
  const second = aim(rest(lower, paw), X, sub(end, middle), X);
  setTurn(pose, upper, chain(inverse(holder), first));
  setTurn(pose, lower, chain(inverse(first), second));
  setTurn(pose, paw, chain(inverse(second), pawTurn));
  // Toes stay flat on the ground and hang in the air.
  const u = Math.min(1, Math.max(0, (wanted[1] - placeOf(toes)[1]) / gait.lift));
  setTurn(pose, toes, chain(inverse(pawTurn), about(X, tip * 0.25 * u)));
}

/** Brindle's pose at a frame of a gait. */
export function gaitPose(gait: Gait, frame: number): Pose {
  const phase = frame / gait.frames;
  const pose = restPose(BRINDLE);
  const rest = placeOf('Hips');
  // She is highest while the legs pass under her, twice a cycle.
  const rise = wave(gait.bob, gait.stance / 2 + 0.02, 2)(phase) - 0.022;
  const roll = wave(gait.sway * 0.6, 0.3)(phase);
  const yaw = wave(gait.sway, 0.05)(phase);
  pose.translations.set([wave(0.008, 0.3)(phase), rest[1] + rise, rest[2] + gait.stride * phase], 0);
  setTurn(pose, 'Hips', chain(about(Y, yaw), about(Z, roll), about(X, wave(gait.bob * 160, 0.1, 2)(phase))));
  for (const name of ['Spine1', 'Spine2', 'Chest'])
    setTurn(
      pose,
      name,
      chain(
        about(Y, (-2 * yaw) / 3),
        about(Z, (-1.4 * roll) / 3),
        about(X, wave(gait.bob * -60, 0.1, 2)(phase)),
      ),
    );
  const nod = wave(gait.nod, 0.02, 2)(phase);
  setTurn(pose, 'Neck1', chain(about(Y, yaw * 0.5), about(X, 6 - gait.carriage + nod)));
  setTurn(pose, 'Neck2', chain(about(Y, yaw * 0.5), about(X, 4 - gait.carriage * 0.6 + nod * 0.4)));
  setTurn(pose, 'Head', about(X, gait.carriage * 1.4 - 6 - nod));
  setTurn(pose, 'Jaw', about(X, 5 + wave(3, 0.4, 2)(phase)));
  for (const [side, s] of [
    ['Left', 1],
    ['Right', -1],
  ] as const) {
    const flap = wave(gait.bob * 900, 0.22, 2)(phase);
    setTurn(pose, `${side}Ear1`, about(Z, s * flap * 0.5));
    setTurn(pose, `${side}Ear2`, about(Z, s * flap));
  }
  for (let k = 1; k <= 5; k++)
    setTurn(
      pose,
      `Tail${k}`,
      chain(
        about(Y, wave(gait.sway * 2.2, 0.12 + 0.07 * k)(phase)),
        about(X, wave(2, 0.1 * k, 2)(phase) + 3),
      ),
    );
  for (const leg of LEGS) setLeg(pose, leg, gait, frame);
  return pose;
}

/** One cycle of a gait, its first sample again at the end, a stride further on. */
export const gaitLoop = (gait: Gait): Samples =>
  recorded(BRINDLE, gait.frames + 1, FPS, (frame) => gaitPose(gait, frame));

/** How far a foot comes to lie from where it has to be, at worst over a cycle, in metres. */
export function reachError(gait: Gait): number {
  let worst = 0;
  for (let frame = 0; frame <= gait.frames; frame++) {
    const pose = gaitPose(gait, frame);
    for (const leg of LEGS)
      worst = Math.max(worst, length(sub(place(pose, `${leg}Toes`), toesAt(gait, leg, frame).toes)));
  }
  return worst;
}
