import { type Pose, restPose } from '@evlay/core';
import type { Samples } from '@evlay/core/take';
import { wave } from '../cycle.js';
import { puppetOf, recorded } from '../puppet.js';
import { about, chain } from '../turn.js';
import type { V } from '../vector.js';
import { placeOf, SKERRY } from './skeleton.js';

export const FPS = 30;
/** Frames of the glide: she hangs in the wind over the quay and drifts ahead. */
export const FRAMES = 151;
/** How high she flies, and how far she comes on in the glide, in metres. */
const HEIGHT = 1.15;
const DRIFT = 1.6;

/** A beat of the wings: frames of a cycle, and what the wings and the body do in it. Angles are degrees. */
export interface Beat {
  readonly frames: number;
  /** Up and down about the shoulder, and by how much further up than down. */
  readonly sweep: number;
  readonly raised: number;
  /** How far the wing is folded while it goes up. */
  readonly fold: number;
  /** How far its front edge is turned down while it goes down. */
  readonly twist: number;
  /** How far the body is lifted and let down, in metres. */
  readonly bob: number;
}

/** Two beats a second, as gulls row along. */
export const SLOW: Beat = { frames: 15, sweep: 26, raised: 6, fold: 20, twist: 11, bob: 0.012 };
/** Over three a second, as they climb or brake. */
export const FAST: Beat = { frames: 9, sweep: 38, raised: 10, fold: 30, twist: 18, bob: 0.016 };

const X: V = [1, 0, 0];
const Y: V = [0, 1, 0];
const Z: V = [0, 0, 1];
const { setTurn } = puppetOf(SKERRY);

const SIDES = [
  ['Left', 1],
  ['Right', -1],
] as const;

/** Feet are carried under the tail. */
function tuckLegs(pose: Pose): void {
  for (const [side] of SIDES) {
    setTurn(pose, `${side}Thigh`, about(X, 48));
    setTurn(pose, `${side}Shin`, about(X, 62));
    setTurn(pose, `${side}Foot`, about(X, -38));
    setTurn(pose, `${side}Toes`, about(X, 58));
  }
}

/** The pose at a frame of the glide: wings out and a little raised, with gusts to which body, wings and tail answer. */
export function glidePose(frame: number): Pose {
  const pose = restPose(SKERRY);
  const u = frame / (FRAMES - 1);
  const gust = wave(1, 0.2, 2)(u) + wave(0.5, 0.55, 5)(u);
  const lean = wave(1, 0.4, 1)(u) + wave(0.35, 0.1, 3)(u);
  pose.translations.set([0.05 * lean, HEIGHT + 0.05 * gust, placeOf('Hips')[2] + DRIFT * (u - 0.5)], 0);
  setTurn(pose, 'Hips', chain(about(Z, -5 * lean), about(X, -5 - 2 * gust)));
  setTurn(pose, 'Chest', about(X, -1.5 * gust));
  // Her head stays level, whatever the body does.
  setTurn(pose, 'Neck1', chain(about(Z, 2 * lean), about(X, 12 + 2 * gust)));
  setTurn(pose, 'Neck2', about(Z, 2 * lean));
  setTurn(pose, 'Head', chain(about(Z, lean), about(X, -5 + 1.5 * gust)));
  setTurn(pose, 'Tail1', chain(about(Z, 4 * lean), about(X, 3 + 4 * gust)));
  setTurn(pose, 'Tail2', chain(about(Z, 5 * lean), about(X, 2 * gust)));
  for (const [side, s] of SIDES) {
    const own = gust + 0.6 * s * lean;
    setTurn(pose, `${side}Wing1`, chain(about(Z, s * (9 + 2 * own)), about(X, -2)));
    setTurn(pose, `${side}Wing2`, about(Z, s * (-3 + 1.2 * own)));
    setTurn(pose, `${side}Wing3`, about(Z, s * (-5 + 2 * own)));
    setTurn(pose, `${side}Wing4`, about(Z, s * (1 + 3 * own)));
  }
  tuckLegs(pose);
  return pose;
}

/** What a beat adds to the rest pose at a phase of it: at 0 the wings go up through the level. */
export function beatPose(beat: Beat, phase: number): Pose {
  const pose = restPose(SKERRY);
  const up = wave(beat.sweep, 0.25)(phase) + beat.raised;
  // Elbow and wrist come after the shoulder, and fold on the way up.
  const folded = Math.max(0, wave(1, 0.02)(phase)) * beat.fold;
  const twist = wave(beat.twist, 0.5)(phase);
  const [x, y, z] = placeOf('Hips');
  pose.translations.set([x, y + wave(beat.bob, 0.72)(phase), z], 0);
  setTurn(pose, 'Hips', about(X, wave(beat.bob * 160, 0.5)(phase)));
  setTurn(pose, 'Neck1', about(X, wave(beat.bob * -90, 0.5)(phase)));
  setTurn(pose, 'Head', about(X, wave(beat.bob * -70, 0.5)(phase)));
  setTurn(pose, 'Tail1', about(X, wave(beat.bob * 250, 0.1)(phase)));
  setTurn(pose, 'Tail2', about(X, wave(beat.bob * 250, 0.2)(phase)));
  for (const [side, s] of SIDES) {
    const late = (by: number, part: number) => wave(beat.sweep * part, 0.25 + by)(phase);
    setTurn(pose, `${side}Wing1`, chain(about(Z, s * up), about(Y, s * folded * 0.8), about(X, twist)));
    setTurn(
      pose,
      `${side}Wing2`,
      chain(about(Y, -1.9 * s * folded), about(Z, s * late(0.1, 0.35)), about(X, twist * 0.4)),
    );
    setTurn(
      pose,
      `${side}Wing3`,
      chain(about(Y, 2.1 * s * folded), about(Z, s * late(0.2, 0.55)), about(X, twist * 0.6)),
    );
    setTurn(pose, `${side}Wing4`, about(Z, s * late(0.3, 0.4)));
  }
  return pose;
}

export const glide = (): Samples => recorded(SKERRY, FRAMES, FPS, glidePose);

/** One beat, its first sample again at the end. */
export const beatLoop = (beat: Beat): Samples =>
  recorded(SKERRY, beat.frames + 1, FPS, (frame) => beatPose(beat, frame / beat.frames));
