/** A walk in a few numbers. */
export interface Walk {
  /** Metres a second along the floor. */
  readonly speed: number;
  /** Steps a minute: strikes of the feet of one pair of legs. */
  readonly cadence: number;
  /** Part of a cycle in which a foot is on the floor. */
  readonly stance: number;
  /** Centimetres by which the hips go up and down, and from side to side. */
  readonly bounce: number;
  readonly sway: number;
  /** Degrees by which the trunk leans forward. */
  readonly lean: number;
  /** Degrees by which upper arms go from back to front. */
  readonly arms: number;
}

/** Gravity, m/s² (CGPM 1901). */
const GRAVITY = 9.80665;

/** A person's leg, metres, and how that person walks (Perry and Burnfield 2010; Winter 2009). */
const LEG = 0.9;
const USUAL = {
  2: { speed: 1.35, cadence: 114, stance: 0.6, bounce: 4.5, sway: 4, lean: 3, arms: 36 },
  // Animals with four legs walk a little slower for their legs, and are calmer in the trunk: common practice.
  4: { speed: 0.95, cadence: 85, stance: 0.66, bounce: 2.2, sway: 2, lean: 0, arms: 0 },
};

/**
 * How a body with legs of a length in metres walks at ease: as a person does, at the same Froude number. Lengths go by
 * the leg, times by its root (Alexander 1989).
 */
export function usualWalk(leg: number, legs: 2 | 4): Walk {
  const size = leg / LEG;
  const usual = USUAL[legs];
  const round = (value: number, to: number) => Math.round(value / to) * to;
  return {
    ...usual,
    speed: round(usual.speed * Math.sqrt(size), 0.01),
    cadence: round(usual.cadence / Math.sqrt(size), 1),
    bounce: round(usual.bounce * size, 0.1),
    sway: round(usual.sway * size, 0.1),
  };
}

/** Seconds of a cycle: two steps. */
export const cycleSeconds = ({ cadence }: Pick<Walk, 'cadence'>): number => 120 / cadence;

/** Metres that a cycle goes. */
export const strideOf = (walk: Pick<Walk, 'cadence' | 'speed'>): number => walk.speed * cycleSeconds(walk);

/** The speed of a walk by the length of its legs: `v² / (g · l)`, without a unit (Alexander 1989). */
export const froudeNumber = (speed: number, leg: number): number => speed ** 2 / (GRAVITY * leg);

/** Froude number at which walking turns into running, on two legs and on four (Alexander 1989). */
export const RUNS = 0.5;

/** Part of a cycle by which legs are behind the left hind leg, or the left leg: on four, hind before fore of a side. */
export const LEG_PHASES = {
  left: 0,
  right: 0.5,
  leftHind: 0,
  leftFore: 0.25,
  rightHind: 0.5,
  rightFore: 0.75,
};

export type WalkingLegName = keyof typeof LEG_PHASES;
export const isWalkingLeg = (name: string): name is WalkingLegName => Object.hasOwn(LEG_PHASES, name);

/** Part of its stance after which a foot lies flat or on its ball; before, it rolls over the heel. */
const ROLLS = 0.22;

/** Part of a cycle at both ends of a stance that is left out: there a foot is coming down or leaving within a sample. */
const EDGE = 0.01;

/** From which part of the cycle to which a leg stands on the floor without rolling over its heel; the end may lie beyond 1. */
export function standsFrom(leg: WalkingLegName, { stance }: Pick<Walk, 'stance'>): readonly [number, number] {
  const behind = LEG_PHASES[leg];
  const paw = leg !== 'left' && leg !== 'right';
  return [behind + (paw ? EDGE : ROLLS * stance), behind + stance - EDGE];
}

/** Number pairs along a cycle: a part of stance or swing, and degrees. */
type Knots = readonly (readonly [part: number, degrees: number])[];

/** How a foot is pitched, toes up positive: over the heel, flat, over the ball, and through the air. */
const FOOT: { readonly stance: Knots; readonly swing: Knots } = {
  stance: [
    [0, 15],
    [ROLLS, 0],
    [0.55, 0],
    [0.82, -20],
    [1, -47],
  ],
  swing: [
    [0.14, -56],
    [0.5, 0],
    [0.82, 17],
  ],
};
/** A paw comes down flat. */
const PAW: typeof FOOT = {
  stance: [
    [0, 0],
    [0.7, 0],
    [1, -34],
  ],
  swing: [
    [0.25, -46],
    [0.8, 6],
  ],
};

/** Degrees by which a foot is pitched at a part of its cycle, times `size`. */
export function footPitch(part: number, stance: number, paw: boolean, size: number): number {
  const { stance: down, swing } = paw ? PAW : FOOT;
  const knots = [
    ...down.map(([at, value]) => [at * stance, value] as const),
    ...swing.map(([at, value]) => [stance + at * (1 - stance), value] as const),
  ];
  return size * roundCurve(knots, part);
}

/** A curve through knots that comes round after 1: cubic Hermite, flat at turns (Fritsch and Carlson 1980). */
function roundCurve(knots: Knots, part: number): number {
  const n = knots.length;
  const at = (k: number) => {
    const around = Math.floor(k / n);
    const [frame, value] = knots[k - around * n];
    return [frame + around, value] as const;
  };
  let k = n - 1;
  while (k >= 0 && at(k)[0] > part) k--;
  const slope = (i: number) => {
    const [[x0, y0], [x1, y1], [x2, y2]] = [at(i - 1), at(i), at(i + 1)];
    const [a, b] = [(y1 - y0) / (x1 - x0), (y2 - y1) / (x2 - x1)];
    if (a * b <= 0) return 0;
    const mean = (y2 - y0) / (x2 - x0);
    return Math.sign(mean) * Math.min(Math.abs(mean), 3 * Math.min(Math.abs(a), Math.abs(b)));
  };
  const [[x0, y0], [x1, y1]] = [at(k), at(k + 1)];
  const h = x1 - x0;
  return hermite((part - x0) / h, y0, y1, slope(k) * h, slope(k + 1) * h);
}

/** A cubic Hermite curve from one value to another by the slopes at both, for `u` from 0 to 1. */
export const hermite = (u: number, from: number, to: number, slopeFrom: number, slopeTo: number): number =>
  (2 * u ** 3 - 3 * u ** 2 + 1) * from +
  (u ** 3 - 2 * u ** 2 + u) * slopeFrom +
  (-2 * u ** 3 + 3 * u ** 2) * to +
  (u ** 3 - u ** 2) * slopeTo;

/** How the body goes over its feet at a part of the cycle; angles in degrees, lengths in centimetres. */
export interface Carriage {
  /** Of the hips: up, and to the left. */
  readonly up: number;
  readonly left: number;
  /** Of the hips: turned to the left, and the left side up. */
  readonly turn: number;
  readonly list: number;
  /** Of the chest: turned to the left. */
  readonly chestTurn: number;
  /** Of the arms: forward, from the middle of their swing. */
  readonly leftArm: number;
  readonly rightArm: number;
}

const TURN = 4;
const LIST = 5;
const CHEST = 5;
/** Part of a cycle after a strike at which the leg stands upright: the middle of its stance. */
const wave = (part: number, at: number, times = 1): number => Math.cos(2 * Math.PI * times * (part - at));

/** How hips, chest and arms go: highest over the leg that stands, listing to the leg in the air, turning with the stride. */
export function carriageAt(part: number, { stance, bounce, sway, arms }: Walk, size: number): Carriage {
  const middle = stance / 2;
  return {
    up: (bounce / 2) * wave(part, middle, 2),
    left: (sway / 2) * wave(part, middle),
    turn: -TURN * size * wave(part, 0),
    list: LIST * size * wave(part, stance / 4),
    chestTurn: CHEST * size * wave(part, 0),
    leftArm: (-arms / 2) * wave(part, 0.02),
    rightArm: (arms / 2) * wave(part, 0.02),
  };
}
