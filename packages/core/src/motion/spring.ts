/**
 * A spring of second order: `x'' = ω² (goal - x) + 2 ζ ω (goal' - x')`. It is damped against its goal and not against the
 * air, so that what goes on at an even pace is not held back. `frequency` is that of its free swing, Hz (ω = 2π times
 * it); `damping` is ζ: below 1 it swings past its goal, at 1 it comes to rest the soonest without, above 1 slower.
 */
export interface Spring {
  readonly frequency: number;
  readonly damping: number;
}

/**
 * How a spring goes on over a step of time while its goal moves at an even pace, exactly: with `e` the distance from
 * the goal and `v` the speed against it, `e` becomes `a e + b v` and `v` becomes `c e + d v`. The solution of a damped
 * oscillator, any handbook of mechanics.
 */
export interface SpringStep {
  readonly a: number;
  readonly b: number;
  readonly c: number;
  readonly d: number;
  readonly seconds: number;
}

/** The step of a spring over some seconds. A spring without frequency keeps its speed. */
export function springStep({ frequency, damping }: Spring, seconds: number): SpringStep {
  const w = 2 * Math.PI * Math.max(1e-6, frequency);
  const z = Math.max(0, damping);
  const k = z * w;
  const decay = Math.exp(-k * seconds);
  let cos: number;
  let sin: number;
  // cos is the even part of the swing, sin the odd one divided by its frequency: both go over into each other at ζ = 1.
  if (z < 1 - 1e-7) {
    const q = w * Math.sqrt(1 - z * z);
    cos = Math.cos(q * seconds);
    sin = Math.sin(q * seconds) / q;
  } else if (z > 1 + 1e-7) {
    const q = w * Math.sqrt(z * z - 1);
    cos = Math.cosh(q * seconds);
    sin = Math.sinh(q * seconds) / q;
  } else {
    cos = 1;
    sin = seconds;
  }
  return {
    a: decay * (cos + k * sin),
    b: decay * sin,
    c: -decay * w * w * sin,
    d: decay * (cos - k * sin),
    seconds,
  };
}

/**
 * Takes one number of a spring a step on. `state` holds place and speed at `i` and `i + 1`; its goal goes from `from` to
 * `to` meanwhile.
 */
export function stepSpring(step: SpringStep, state: Float64Array, i: number, from: number, to: number): void {
  const pace = (to - from) / step.seconds;
  const e = state[i] - from;
  const v = state[i + 1] - pace;
  state[i] = to + step.a * e + step.b * v;
  state[i + 1] = pace + step.c * e + step.d * v;
}
