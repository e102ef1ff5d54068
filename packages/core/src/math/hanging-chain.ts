/**
 * How a chain of links hangs between two points: the shape in which its weight is lowest, a catenary as its links become
 * short (Huygens, Leibniz and Johann Bernoulli 1691; for links of any length, each with its weight in its middle, the
 * balance of forces at the joints). The pull along a link is `(H, s - s0)` in units of the weight of a unit of length:
 * its horizontal part `H` is the same in all links, its vertical one grows with the length `s` from the start to the middle
 * of the link. Both unknowns are where the convex function `Σ l·√(H² + (s - s0)²) - H·across + s0·up` is least, so that for
 * each `H` there is one `s0`, and the chain widens with `H`: both are found by Newton's method between bounds.
 */

/** From this part of its length on it is straight. */
const STRAIGHT = 1 - 1e-9;
/** The least is found when both ends are met to this part of the length. */
const MET = 1e-13;
const MOST_STEPS = 80;

/**
 * Writes the direction of each link, two numbers a link: across, towards the end, and up; each of length 1. `lengths` are
 * those of the links from the start on, above 0. `across` (0 or more) and `up` say where the end is from the start. An end
 * that is out of reach gives a straight chain towards it. The numbers of `lengths` and `out` may be of any unit.
 */
export function hangingChain(lengths: Float64Array, across: number, up: number, out: Float64Array): void {
  let whole = 0;
  let longest = 0;
  for (const length of lengths) {
    whole += length;
    longest = Math.max(longest, length);
  }
  const distance = Math.sqrt(across * across + up * up);
  if (distance >= STRAIGHT * whole) {
    for (let i = 0; i < lengths.length; i++) {
      out[2 * i] = across / distance;
      out[2 * i + 1] = up / distance;
    }
    return;
  }
  // Between ends that are closer to one line than a link is long, no chain of stiff links hangs freely.
  const wide = Math.max(across, Math.min(longest, Math.sqrt(Math.max(0, (STRAIGHT * whole) ** 2 - up * up))));
  setStart(whole, wide, up);
  let pull = start[0];
  let middle = start[1];
  let [least, most] = [0, Number.POSITIVE_INFINITY];
  for (let step = 0; step < MOST_STEPS; step++) {
    middle = middleFor(lengths, pull, middle, whole, up);
    const off = sums[ACROSS] - wide;
    if (Math.abs(off) < MET * whole) break;
    if (off < 0) least = pull;
    else most = pull;
    const next = pull - off / sums[SPREAD];
    if (next > least && next < most) pull = next;
    else if (most === Number.POSITIVE_INFINITY) pull *= 4;
    else pull = least === 0 ? pull / 16 : Math.sqrt(least * most);
    if (most < Number.POSITIVE_INFINITY && most - least <= 1e-15 * most) break;
  }
  let s = 0;
  for (let i = 0; i < lengths.length; i++) {
    const d = s + lengths[i] / 2 - middle;
    s += lengths[i];
    const r = Math.sqrt(pull * pull + d * d);
    out[2 * i] = pull / r;
    out[2 * i + 1] = d / r;
  }
  if (across < wide || lengths.length === 2) close(lengths, across, up, out);
}

/**
 * Brings the end of a chain that hangs to a place close by: its flattest link keeps its direction where it can, and what
 * is before and behind it turns, each as it is, by the smaller of the angles that the law of cosines gives.
 */
function close(lengths: Float64Array, across: number, up: number, out: Float64Array): void {
  const n = lengths.length;
  let flat = n === 2 ? -1 : 1;
  for (let i = 2; i < n - 1; i++) if (out[2 * i] > out[2 * flat]) flat = i;
  const split = n === 2 ? 1 : flat;
  let [ax, ay, cx, cy] = [0, 0, 0, 0];
  for (let i = 0; i < n; i++) {
    if (i === flat) continue;
    if (i < split) {
      ax += lengths[i] * out[2 * i];
      ay += lengths[i] * out[2 * i + 1];
    } else {
      cx += lengths[i] * out[2 * i];
      cy += lengths[i] * out[2 * i + 1];
    }
  }
  const a = Math.hypot(ax, ay);
  const c = Math.hypot(cx, cy);
  if (flat >= 0) turnAway(out, 2 * flat, lengths[flat], across, up, Math.abs(a - c));
  const ex = across - (flat < 0 ? 0 : lengths[flat] * out[2 * flat]);
  const ey = up - (flat < 0 ? 0 : lengths[flat] * out[2 * flat + 1]);
  const e = Math.hypot(ex, ey);
  if (!(e > 1e-12 * (a + c))) return;
  const cos = Math.min(1, Math.max(-1, (a * a + e * e - c * c) / (2 * a * e)));
  const sin = Math.sqrt(1 - cos * cos);
  // Of the two places of the joint between them, the one that is nearer to where it hung.
  const side = -ey * ax + ex * ay < 0 ? -1 : 1;
  const nx = (a * (cos * ex - side * sin * ey)) / e;
  const ny = (a * (cos * ey + side * sin * ex)) / e;
  turnLinks(out, 0, split, ax, ay, nx, ny);
  turnLinks(out, flat < 0 ? split : flat + 1, n, cx, cy, ex - nx, ey - ny);
}

/** Turns a link away from the line to the end until the way that is left for the others is as long as `least`. */
function turnAway(
  out: Float64Array,
  o: number,
  length: number,
  across: number,
  up: number,
  least: number,
): void {
  const distance = Math.hypot(across, up);
  if (distance === 0) return;
  const [x, y] = [across / distance, up / distance];
  const most = Math.max(
    -1,
    (distance * distance + length * length - least * least) / (2 * length * distance),
  );
  if (out[o] * x + out[o + 1] * y <= most) return;
  const side = x * out[o + 1] - y * out[o] < 0 ? -1 : 1;
  const sin = side * Math.sqrt(1 - most * most);
  out[o] = most * x - sin * y;
  out[o + 1] = most * y + sin * x;
}

/** Turns links by the angle from one direction to another. */
function turnLinks(
  out: Float64Array,
  from: number,
  to: number,
  x: number,
  y: number,
  toX: number,
  toY: number,
): void {
  const size = Math.hypot(x, y) * Math.hypot(toX, toY);
  if (size === 0) return;
  const cos = (x * toX + y * toY) / size;
  const sin = (x * toY - y * toX) / size;
  for (let i = from; i < to; i++) {
    const across = out[2 * i];
    out[2 * i] = cos * across - sin * out[2 * i + 1];
    out[2 * i + 1] = sin * across + cos * out[2 * i + 1];
  }
}

/** What the last chain measured: how far its end is across and up, and how fast these grow. */
const sums = new Float64Array(4);
const [ACROSS, UP, STIFF, SPREAD] = [0, 1, 2, 3];

/** Writes where a chain ends for a pull and a lowest place, and how fast it rises with that place; gives how it widens with the pull. */
function measure(lengths: Float64Array, pull: number, middle: number): void {
  sums.fill(0);
  let mean = 0;
  let s = 0;
  for (let i = 0; i < lengths.length; i++) {
    const d = s + lengths[i] / 2 - middle;
    s += lengths[i];
    const r = Math.sqrt(pull * pull + d * d);
    const k = lengths[i] / r;
    sums[ACROSS] += k * pull;
    sums[UP] += k * d;
    sums[STIFF] += k / (r * r);
    mean += (k * d) / (r * r);
  }
  mean /= sums[STIFF];
  s = 0;
  for (let i = 0; i < lengths.length; i++) {
    const d = s + lengths[i] / 2 - middle;
    s += lengths[i];
    const r = Math.sqrt(pull * pull + d * d);
    sums[SPREAD] += (lengths[i] * (d - mean) * (d - mean)) / (r * r * r);
  }
}

/**
 * The lowest place at which a chain with a pull ends `up`: the height falls with it all along. Leaves in `sums` what it is
 * like there.
 */
function middleFor(lengths: Float64Array, pull: number, from: number, whole: number, up: number): number {
  let middle = from;
  let [least, most] = [Number.NEGATIVE_INFINITY, Number.POSITIVE_INFINITY];
  let wider = whole + pull;
  for (let step = 0; step < MOST_STEPS; step++) {
    measure(lengths, pull, middle);
    const off = sums[UP] - up;
    if (Math.abs(off) < MET * whole) break;
    if (off > 0) least = middle;
    else most = middle;
    const next = middle + off / (pull * pull * sums[STIFF]);
    if (next > least && next < most) middle = next;
    else if (least === Number.NEGATIVE_INFINITY) middle -= wider;
    else if (most === Number.POSITIVE_INFINITY) middle += wider;
    else middle = (least + most) / 2;
    wider *= 2;
    if (most - least <= 1e-16 * whole) break;
  }
  return middle;
}

const start = new Float64Array(2);

/**
 * Writes into `start` the pull and the lowest place of the catenary itself, which is close: with `sinh(z)/z = √(L² - up²)/wide`, the pull is
 * `wide/(2z)` and the lowest place `L/2 - up·coth(z)/2` along it.
 */
function setStart(whole: number, wide: number, up: number): void {
  const ratio = Math.sqrt(Math.max(0, whole * whole - up * up)) / wide;
  if (!(ratio > 1 + 1e-12)) {
    start[0] = (1e6 * whole * wide) / Math.hypot(wide, up);
    start[1] = whole / 2 - (1e6 * whole * up) / Math.hypot(wide, up);
    return;
  }
  let z = ratio < 3 ? Math.sqrt(6 * (ratio - 1)) : Math.log(2 * ratio) + Math.log(Math.log(2 * ratio));
  for (let step = 0; step < 30; step++) {
    const off = Math.log(Math.sinh(z) / z) - Math.log(ratio);
    const next = z - off / (1 / Math.tanh(z) - 1 / z);
    if (!(Math.abs(next - z) > 1e-12 * z)) break;
    z = next > 0 ? next : z / 2;
  }
  start[0] = wide / (2 * z);
  start[1] = whole / 2 - up / (2 * Math.tanh(z));
}
