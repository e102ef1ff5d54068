import { type Pose, restPose } from '@evlay/core';
import type { Samples } from '@evlay/core/take';
import { cycle, wave } from '../cycle.js';
import { bend, puppetOf, recorded } from '../puppet.js';
import { about, aim, chain, inverse } from '../turn.js';
import { add, length, sub, type V } from '../vector.js';
import { FACES } from './face.js';
import { placeOf, WICK } from './skeleton.js';
import { FPS, hangLantern, setArm } from './walk.js';

/** Frames of the idle, which comes round to where it began. */
export const IDLE_FRAMES = 120;

const X: V = [1, 0, 0];
const Y: V = [0, 1, 0];
const Z: V = [0, 0, 1];
const { setTurn, orientation, place } = puppetOf(WICK);

// He leans from leg to leg once, breathes twice and looks along the quay. Degrees and metres, by phase.
const lean = cycle([0, -0.6], [0.12, -1], [0.38, -0.9], [0.56, 0.9], [0.84, 0.8]);
const breath = wave(1, 0.2, 2);
const look = cycle([0, 0], [0.2, 22], [0.42, 26], [0.55, -4], [0.7, -18], [0.9, -2]);

/** Keeps a foot where it rests, whichever way the hips lean. */
function plant(pose: Pose, side: 'Left' | 'Right'): void {
  const s = side === 'Left' ? 1 : -1;
  const [hip, ankle] = [place(pose, `${side}UpperLeg`), add(placeOf(`${side}Foot`), [0.02 * s, 0, 0.01 * s])];
  const rest = (a: string, b: string) => sub(placeOf(side + b), placeOf(side + a));
  const [thigh, shin] = [rest('UpperLeg', 'LowerLeg'), rest('LowerLeg', 'Foot')];
  const { middle, end } = bend(hip, ankle, length(thigh), length(shin), Z);
  const upper = aim(thigh, X, sub(middle, hip), X);
  const lower = aim(shin, X, sub(end, middle), X);
  setTurn(pose, `${side}UpperLeg`, chain(inverse(orientation(pose, 'Hips')), upper));
  setTurn(pose, `${side}LowerLeg`, chain(inverse(upper), lower));
  setTurn(pose, `${side}Foot`, chain(inverse(lower), about(Y, 9 * s)));
}

function idlePose(frame: number): Pose {
  const phase = frame / IDLE_FRAMES;
  const pose = restPose(WICK);
  const side = lean(phase);
  const rest = placeOf('Hips');
  pose.translations.set([0.036 * side, rest[1] - 0.022 + 0.003 * breath(phase), -0.004], 0);
  setTurn(pose, 'Hips', chain(about(Y, -3 * side), about(Z, -3.2 * side), about(X, 1)));
  setTurn(pose, 'Spine', chain(about(Z, 1.8 * side), about(X, 3 - 0.6 * breath(phase))));
  setTurn(
    pose,
    'Chest',
    chain(about(Z, 1.5 * side), about(Y, look(phase) * 0.12), about(X, 2 - 1.2 * breath(phase))),
  );
  setTurn(pose, 'UpperChest', chain(about(Y, look(phase) * 0.12), about(X, 1 - breath(phase))));
  setTurn(pose, 'Neck', chain(about(Y, look(phase) * 0.4), about(X, 5 + breath(phase))));
  setTurn(
    pose,
    'Head',
    chain(about(Y, look(phase) * 0.6), about(Z, side), about(X, -4 + 0.8 * breath(phase))),
  );
  setArm(pose, 'Left', 3 + 1.5 * side, 16 + 1.5 * breath(phase), 18);
  setArm(pose, 'Right', 5 - side, 22 + breath(phase), 52);
  for (const [name, s] of [
    ['LeftShoulder', 1],
    ['RightShoulder', -1],
  ] as const)
    setTurn(pose, name, about(Z, 1.2 * s * breath(phase)));
  for (const which of ['Left', 'Right'] as const) plant(pose, which);
  setTurn(pose, 'Lantern', hangLantern(pose, wave(2.5, 0.35)(phase)));
  return pose;
}

/** Wick waits: samples of every joint, the first again at the end. */
export const idle = (): Samples => recorded(WICK, IDLE_FRAMES + 1, FPS, idlePose);

/** Phases at which he blinks, and over how many frames: shut in the middle. */
const BLINKS = [0.06, 0.31, 0.36, 0.68, 0.93];
const BLINK = 5;
// He lifts his brows when he looks along the quay, and smiles at what he sees there.
const lifts = cycle([0, 0], [0.14, 0], [0.24, 0.8], [0.42, 0.7], [0.55, 0], [0.8, 0.1]);
const smiles = cycle([0, 0.15], [0.2, 0.1], [0.34, 0.75], [0.46, 0.7], [0.62, 0.1], [0.9, 0.15]);

/** What his face does meanwhile, at the samples of {@link idle}. */
export function idleFace(): Samples['faces'] {
  const wanted: readonly (readonly [RegExp, (phase: number) => number])[] = [
    [
      /^blink/,
      (phase) => {
        const away = Math.min(...BLINKS.map((at) => Math.abs(phase - at))) * IDLE_FRAMES;
        return Math.max(0, 1 - away / (BLINK / 2));
      },
    ],
    [/^browUp/, lifts],
    [/^smile/, smiles],
  ];
  const moved = FACES.flatMap(({ name }, f) => {
    const found = wanted.find(([test]) => test.test(name));
    return found ? [{ f, at: found[1] }] : [];
  });
  const frames = IDLE_FRAMES + 1;
  const values = new Float64Array(frames * moved.length);
  for (let frame = 0; frame < frames; frame++)
    for (const [k, { at }] of moved.entries())
      values[frame * moved.length + k] = at((frame % IDLE_FRAMES) / IDLE_FRAMES);
  return { joints: Int32Array.from(moved, ({ f }) => f), size: 1, values };
}
