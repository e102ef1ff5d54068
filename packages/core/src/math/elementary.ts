import type { Numbers } from './numbers.js';

/**
 * Elementary functions that give the same bits on every machine: they are made of sums, products, quotients and
 * square roots, which IEEE 754 fixes to the last bit, as it does not fix what `Math.sin` and its like return.
 * Each agrees with the true value to within a few units in the last place over the range that is used here.
 *
 * Like all that runs for every joint of every frame, they take numbers from arrays and leave them in arrays:
 * JavaScript engines put a number that is passed or returned into a box on the heap, unless they inline the call.
 */

/** π/2 in three pieces, the first two with zeros at their ends (Cody and Waite, 1980). */
const HALF_PI_1 = 1.5707963267341256;
const HALF_PI_2 = 6.077100506303966e-11;
const HALF_PI_3 = 2.0222662487959506e-21;
const TWO_OVER_PI = 2 / Math.PI;

/** Beyond this many radians an angle says nothing about a direction any more, and only has to stay finite. */
const MANY_TURNS = 1e8;
const reduced = new Float64Array(1);

/**
 * Sine of an angle within π/4: Taylor's series, the last term below 1e-17. So short that engines put it where it is called.
 */
export function smallSine(x: number): number {
  const z = x * x;
  return (
    x +
    x *
      z *
      (-1 / 6 +
        z *
          (1 / 120 +
            z *
              (-1 / 5040 +
                z * (1 / 362880 + z * (-1 / 39916800 + z * (1 / 6227020800 + z * (-1 / 1307674368000)))))))
  );
}

/** An angle less its whole turns: the same direction, within half a turn. Of very many turns only that is left. */
export function withinTurn(angle: number): number {
  if (Math.abs(angle) <= Math.PI) return angle;
  const quarters = 4 * Math.floor(angle / (2 * Math.PI) + 0.5);
  const left = angle - quarters * HALF_PI_1 - quarters * HALF_PI_2 - quarters * HALF_PI_3;
  return Math.max(-Math.PI, Math.min(Math.PI, left));
}

/**
 * Writes sine and cosine of the angle `x[i]` in radians, up to some millions of turns, to `out[o]` and `out[o + 1]`.
 * Up to a quarter of a turn they are found from half the angle, without a branch.
 */
export function sinCos(x: Numbers, i: number, out: Numbers, o: number): void {
  const angle = x[i];
  if (Math.abs(angle) > Math.PI / 2) {
    turnedSinCos(x, i, out, o);
    return;
  }
  const s = smallSine(0.5 * angle);
  const ss = s * s;
  // Up to π/4 the cosine is the longer of the two, so that nothing is lost here.
  out[o] = 2 * s * Math.sqrt(1 - ss);
  out[o + 1] = 1 - 2 * ss;
}

/** Sine and cosine beyond a quarter of a turn: of what is left of the angle without whole quarters. */
function turnedSinCos(x: Numbers, i: number, out: Numbers, o: number): void {
  if (Math.abs(x[i]) > MANY_TURNS) {
    reduced[0] = x[i] % (2 * Math.PI);
    sinCos(reduced, 0, out, o);
    return;
  }
  const k = Math.round(x[i] * TWO_OVER_PI);
  reduced[0] = x[i] - k * HALF_PI_1 - k * HALF_PI_2 - k * HALF_PI_3;
  sinCos(reduced, 0, out, o);
  const s = out[o];
  const c = out[o + 1];
  // Which quarter of the turn; `&` works on negative numbers as wanted.
  const quarter = k & 3;
  const odd = (quarter & 1) === 1;
  out[o] = (odd ? c : s) * (quarter > 1 ? -1 : 1);
  out[o + 1] = (odd ? s : c) * (quarter === 1 || quarter === 2 ? -1 : 1);
}

const guess = new Float64Array(3);

/** Writes the angle of the point `(x, y)` at `point[i], point[i + 1]` in radians, in [-π, π]; 0 at the origin. */
export function arcTangent(point: Numbers, i: number, out: Numbers, o: number): void {
  const x = point[i];
  const y = point[i + 1];
  const ax = Math.abs(x);
  const ay = Math.abs(y);
  if (ax === 0 && ay === 0) {
    out[o] = 0;
    return;
  }
  // A guess good to 0.004, and what it misses as the tangent of a small angle.
  const q = ay > ax ? ax / ay : ay / ax;
  const part = q * (Math.PI / 4 + 0.273 * (1 - q));
  guess[0] = ay > ax ? Math.PI / 2 - part : part;
  sinCos(guess, 0, guess, 1);
  const t = (ay * guess[2] - ax * guess[1]) / (ax * guess[2] + ay * guess[1]);
  const z = t * t;
  const first = guess[0] + t * (1 - z * (1 / 3 - z * (1 / 5 - z / 7)));
  const upper = x < 0 ? Math.PI - first : first;
  out[o] = y < 0 ? -upper : upper;
}

const LN2 = Math.LN2;

/** Powers of 2 beyond these are 0 or infinite. */
const MOST_DOUBLINGS = 1100;

/** Raises `x[i]`, a finite number above 0, to the power `exponent[j]`, in place. Others stay as they are. */
export function raise(x: Numbers, i: number, exponent: Numbers, j: number): void {
  if (!(x[i] > 0 && x[i] < Number.POSITIVE_INFINITY)) return;
  // The logarithm: with x = m · 2ᵉ, ln m = 2 artanh((m - 1) / (m + 1)).
  let m = x[i];
  let e = 0;
  while (m > 1.5) {
    m /= 2;
    e++;
  }
  while (m < 0.75) {
    m *= 2;
    e--;
  }
  const z = (m - 1) / (m + 1);
  let series = 0;
  for (let k = 23; k >= 1; k -= 2) series = series * z * z + 1 / k;
  const power = exponent[j] * (2 * z * series + e * LN2);
  // The exponential: power = k · ln 2 + r.
  const k = Math.max(-MOST_DOUBLINGS, Math.min(MOST_DOUBLINGS, Math.round(power / LN2)));
  const r = power - k * LN2;
  let result = 1;
  for (let n = 16; n >= 1; n--) result = 1 + (result * r) / n;
  for (let n = 0; n < k; n++) result *= 2;
  for (let n = 0; n > k; n--) result /= 2;
  x[i] = result;
}
