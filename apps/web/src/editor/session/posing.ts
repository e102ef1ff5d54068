import type { CurveAddress, Layer } from '@evlay/core';
import type { CopiedKeys, KeyFades, TouchUp, Trial } from '@evlay/core/edit';

/** By how much a joint that is dragged is not seen where the hand puts it, in units of the rig. */
export interface Missed {
  readonly by: number;
  /** Whether its limb is too short; else the layer counts too little there or is covered from above. */
  readonly tooFar: boolean;
}

/** In whose axes joints are turned or moved by handles. */
export const HANDLE_AXES = ['joint', 'parent', 'world', 'view'] as const;
export type HandleAxes = (typeof HANDLE_AXES)[number];

/** How several picked joints turn: each about itself, all about one pivot, or sharing one turn along their chain. */
export const TOGETHER = ['each', 'pivot', 'share'] as const;
export type Together = (typeof TOGETHER)[number];

/** How a pose that is set becomes a touch-up: frames before and after, and how many neighbours take part. */
export interface TouchUpReach {
  readonly before: number;
  readonly hold: number;
  readonly after: number;
  readonly neighbours: number;
}

/** Numbers of what is done with the timing of motion: what they were last. */
export interface TimingNumbers {
  /** Of an overlap: whether joints follow down their chain. */
  readonly downTheChain: boolean;
  readonly noise: {
    readonly angle: number;
    readonly centimetres: number;
    readonly frequency: number;
    readonly seed: number;
    readonly everyFrame: boolean;
  };
  /** How a chain follows: frames of lag a joint, swings a second, damping (1: without swinging), how much it hangs. */
  readonly follow: {
    readonly lag: number;
    readonly stiffness: number;
    readonly damping: number;
    readonly hang: number;
    readonly everyFrame: boolean;
  };
  /** Frames over which a layer hands over to another: as many as last time. */
  readonly handOver: number;
  /** Frames by which mirrored motion comes later. */
  readonly shift: number;
  /** Frames over which a loop is closed. */
  readonly stretch: number;
  /** How far a curve may pass from what it was when keys are taken out: degrees, centimetres, hundredths. */
  readonly tolerance: number;
  /** Over how many joints, or centimetres, borders between parts are softened. */
  readonly border: { readonly joints: number } | { readonly centimetres: number };
  /** How a layer comes to picked keys and goes from them. */
  readonly fades: KeyFades;
}

/** So many seconds in whole frames, at least one. */
export const framesIn = (seconds: number, fps: number): number => Math.max(1, Math.round(seconds * fps));

/** Seconds over which a layer comes to picked keys and goes from them, a touch-up too, and over which a loop is closed. */
export const FADE_SECONDS = 0.2;
const CLOSING_SECONDS = 0.27;

/** Numbers that are as long in seconds whatever the rate. */
const timingAt = (fps: number): TimingNumbers => ({
  ...TIMING,
  stretch: framesIn(CLOSING_SECONDS, fps),
  handOver: framesIn(2 * FADE_SECONDS, fps),
  fades: { ...TIMING.fades, before: framesIn(FADE_SECONDS, fps), after: framesIn(FADE_SECONDS, fps) },
});

const TIMING: TimingNumbers = {
  downTheChain: false,
  noise: { angle: 2, centimetres: 0, frequency: 1, seed: 1, everyFrame: false },
  follow: { lag: 1, stiffness: 2.5, damping: 0.7, hang: 0, everyFrame: false },
  handOver: 12,
  shift: 0,
  stretch: 8,
  tolerance: 0.5,
  border: { joints: 0 },
  fades: { before: 6, after: 6, hold: 0, asOne: true },
};

/** How poses are set: handles, touch-ups, what is tried and what was copied. */
export interface Posing {
  readonly autoKey: boolean;
  /** Whether the next click on a surface says where what is picked is put. */
  readonly touching: boolean;
  /** A pose that is tried on a layer and not keyed. */
  readonly trial: Trial | undefined;
  /** Whether handles turn, move or scale. */
  readonly handle: 'turn' | 'move' | 'scale';
  /** In whose axes the handles turn, and in whose they move. */
  readonly turnAxes: HandleAxes;
  readonly moveAxes: HandleAxes;
  readonly together: Together;
  /** How much of a shared turn each joint takes, by index; 1 where nothing is said. */
  readonly shares: Readonly<Record<number, number>>;
  /** Whether the handles go in steps, of how many degrees and of how many metres. */
  readonly snap: boolean;
  readonly snapAngle: number;
  readonly snapLength: number;
  /** Whether what is done on one side is done mirrored on the other. */
  readonly symmetric: boolean;
  /** How a pose that is set fades away on both sides; undefined where it is an ordinary key. */
  readonly touchUp: TouchUpReach | undefined;
  /** The touch-up that was keyed last, which can be repeated. */
  readonly lastTouchUp: TouchUp | undefined;
  /** Whether a hand, foot or head that is moved keeps its orientation; else it turns with its limb. */
  readonly endKeepsAngle: boolean;
  /** Whether feet stay where they are when the hips, or what is below them, move. */
  readonly feetStay: boolean;
  /** Whether joints are moved and scaled against their parents too, which stretches bones: it was asked and said. */
  readonly stretching: boolean;
  /** Whether a joint that is scaled along one axis keeps its volume: it gets thinner as it gets longer. */
  readonly keepVolume: boolean;
  /** Whether a new override layer acts over the whole range; else its span follows its keys. */
  readonly wholeRange: boolean;
  /** Whether handles are dragged now: what would lie over the joint stays away. */
  readonly handling: boolean;
  /** How large the handles are, 1 as usual. */
  readonly handleSize: number;
  /** By how much the joint that is dragged is not where the hand puts it, in units of the rig, and why. */
  readonly missed: Missed | undefined;
  /** Whether they place the lit layer's whole performance, and not a joint. */
  readonly placing: boolean;
  /** The additive layer that has just had its first key, of which it is asked whether it holds throughout. */
  readonly asked: string | undefined;
  /** Keys that were copied. */
  readonly copied: readonly CopiedKeys[];
  /** Where the weight stands that was copied. */
  readonly copiedWeight: CurveAddress | undefined;
  /** Keys whose handles are dragged each by itself, by id. */
  readonly apart: readonly string[];
  readonly timing: TimingNumbers;
  /** What was faded last: other numbers for the same keys begin with how the layer was before. */
  readonly lastFade: LastFade | undefined;
}

/** Keys around which a layer was made to fade, by what they are, with the layer before and after. */
export interface LastFade {
  readonly keys: string;
  readonly before: Layer;
  readonly after: Layer;
}

export const newPosing = (fps: number): Posing => ({
  autoKey: true,
  touching: false,
  trial: undefined,
  handle: 'turn',
  turnAxes: 'joint',
  moveAxes: 'world',
  together: 'each',
  shares: {},
  snap: false,
  stretching: false,
  wholeRange: false,
  keepVolume: false,
  snapAngle: 15,
  snapLength: 0.05,
  symmetric: false,
  touchUp: undefined,
  lastTouchUp: undefined,
  endKeepsAngle: true,
  feetStay: true,
  handling: false,
  handleSize: 1,
  missed: undefined,
  placing: false,
  asked: undefined,
  copied: [],
  copiedWeight: undefined,
  apart: [],
  timing: timingAt(fps),
  lastFade: undefined,
});

/** What is set in frames, where so many times as many frames are counted a second. */
export function posingAtRate({ touchUp, lastTouchUp, timing }: Posing, ratio: number): Partial<Posing> {
  const frames = (count: number) => Math.max(1, Math.round(count * ratio));
  const { fades, follow } = timing;
  return {
    touchUp: touchUp && {
      ...touchUp,
      before: frames(touchUp.before),
      hold: Math.round(touchUp.hold * ratio),
      after: frames(touchUp.after),
    },
    // It stands on other frames now.
    lastTouchUp: ratio === 1 ? lastTouchUp : undefined,
    timing: {
      ...timing,
      stretch: frames(timing.stretch),
      handOver: frames(timing.handOver),
      shift: timing.shift * ratio,
      fades: {
        ...fades,
        before: frames(fades.before),
        after: frames(fades.after),
        hold: Math.round(fades.hold * ratio),
      },
      follow: { ...follow, lag: follow.lag * ratio },
    },
  };
}
