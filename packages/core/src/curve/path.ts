/**
 * Paths through the scene: between each two points a centripetal Catmull-Rom curve (Catmull and Rom 1974; Yuksel, Schaefer and
 * Keyser, Parameterization and Applications of Catmull-Rom Curves, 2011), gone along by its length.
 */

/** A path made ready: a cubic for each pair of neighbouring points, and how long it is up to some places on it. */
export interface CompiledPath {
  readonly closed: boolean;
  /** 12 numbers a piece: for each axis the cubic in `u` from 0 to 1, constant term first. */
  readonly cubics: Float64Array;
  /** The length up to the end of each step, {@link STEPS} a piece; the first is 0. */
  readonly lengths: Float64Array;
}

/** Steps of which the length is known, a piece between two points. */
const STEPS = 16;
/** Rounds of Newton's method at most. */
const ROUNDS = 40;
/** Nodes and weights of Gauss and Legendre's rule for five places, on [-1, 1] (Abramowitz and Stegun 1964, 25.4.30). */
const NODES = [0, 0.5384693101056831, -0.5384693101056831, 0.906179845938664, -0.906179845938664];
const WEIGHTS = [
  0.5688888888888889, 0.47862867049936647, 0.47862867049936647, 0.23692688505618908, 0.23692688505618908,
];

type Point = readonly [number, number, number];

/** Makes a path ready. There are two points at least, of which none coincides with the next. */
export function compilePath(points: readonly Point[], closed: boolean): CompiledPath {
  const n = points.length;
  const pieces = closed ? n : n - 1;
  const at = (i: number): Point => {
    if (closed) return points[(i + n) % n];
    // Beyond its ends an open path goes straight on.
    if (i < 0) return beyond(points[0], points[1]);
    return i < n ? points[i] : beyond(points[n - 1], points[n - 2]);
  };
  const cubics = new Float64Array(12 * pieces);
  for (let i = 0; i < pieces; i++) writeCubics(at(i - 1), at(i), at(i + 1), at(i + 2), cubics, 12 * i);
  const lengths = new Float64Array(pieces * STEPS + 1);
  const path = { closed, cubics, lengths };
  for (let k = 0; k < pieces * STEPS; k++)
    lengths[k + 1] = lengths[k] + lengthWithin(path, k, (k % STEPS) / STEPS, ((k % STEPS) + 1) / STEPS);
  return path;
}

const beyond = (end: Point, before: Point): Point => [
  2 * end[0] - before[0],
  2 * end[1] - before[1],
  2 * end[2] - before[2],
];

/** The cubics from `b` to `c`, whose slopes come from all four points, apart by the square root of their distance. */
function writeCubics(a: Point, b: Point, c: Point, d: Point, out: Float64Array, o: number): void {
  const apart = (p: Point, q: Point) => Math.sqrt(Math.hypot(q[0] - p[0], q[1] - p[1], q[2] - p[2]));
  const [before, here, after] = [apart(a, b), apart(b, c), apart(c, d)];
  for (let axis = 0; axis < 3; axis++) {
    const [va, vb, vc, vd] = [a[axis], b[axis], c[axis], d[axis]];
    const from = here * ((vb - va) / before - (vc - va) / (before + here) + (vc - vb) / here);
    const to = here * ((vc - vb) / here - (vd - vb) / (here + after) + (vd - vc) / after);
    out[o + 4 * axis] = vb;
    out[o + 4 * axis + 1] = from;
    out[o + 4 * axis + 2] = 3 * (vc - vb) - 2 * from - to;
    out[o + 4 * axis + 3] = 2 * (vb - vc) + from + to;
  }
}

/** How fast a piece goes at `u`: the length of its derivative. */
function speedAt(cubics: Float64Array, o: number, u: number): number {
  let sum = 0;
  for (let axis = o; axis < o + 12; axis += 4) {
    const v = cubics[axis + 1] + u * (2 * cubics[axis + 2] + 3 * u * cubics[axis + 3]);
    sum += v * v;
  }
  return Math.sqrt(sum);
}

/** The length of the curve between two values of `u` within step `k`. */
function lengthWithin({ cubics }: Pick<CompiledPath, 'cubics'>, k: number, from: number, to: number): number {
  const o = 12 * Math.floor(k / STEPS);
  const half = (to - from) / 2;
  const middle = (to + from) / 2;
  let sum = 0;
  for (let i = 0; i < NODES.length; i++) sum += WEIGHTS[i] * speedAt(cubics, o, middle + half * NODES[i]);
  return half * sum;
}

/** The length of a path, in the units of its points. */
export const pathLength = ({ lengths }: CompiledPath): number => lengths[lengths.length - 1];

/**
 * Writes the place at `along`, a part of the length from 0 to 1, and with `ahead` the direction there, of length 1. Before and
 * behind an open path its ends hold; a closed one goes round.
 */
export function placeOnPath(
  path: CompiledPath,
  along: number,
  out: Float64Array,
  ahead?: Float64Array,
): void {
  const { closed, cubics, lengths } = path;
  const part = closed ? along - Math.floor(along) : Math.min(1, Math.max(0, along));
  const wanted = part * pathLength(path);
  let low = 0;
  let high = lengths.length - 2;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (lengths[middle] <= wanted) low = middle;
    else high = middle - 1;
  }
  const start = (low % STEPS) / STEPS;
  const o = 12 * Math.floor(low / STEPS);
  const step = lengths[low + 1] - lengths[low];
  const left = wanted - lengths[low];
  // Newton's method, held between what is too little and too much: the speed is the derivative of the length.
  let [least, most] = [start, start + 1 / STEPS];
  let u = start + left / (step * STEPS);
  for (let i = 0; i < ROUNDS; i++) {
    const off = lengthWithin(path, low, start, u) - left;
    if (Math.abs(off) <= 1e-13 * lengths[lengths.length - 1]) break;
    if (off > 0) most = u;
    else least = u;
    const next = u - off / speedAt(cubics, o, u);
    u = next > least && next < most ? next : (least + most) / 2;
  }
  for (let axis = 0; axis < 3; axis++) {
    const c = o + 4 * axis;
    out[axis] = cubics[c] + u * (cubics[c + 1] + u * (cubics[c + 2] + u * cubics[c + 3]));
    if (ahead) ahead[axis] = cubics[c + 1] + u * (2 * cubics[c + 2] + 3 * u * cubics[c + 3]);
  }
  if (!ahead) return;
  // Where it turns back on the spot it goes to where it is speeding up to.
  if (!(Math.hypot(ahead[0], ahead[1], ahead[2]) > 0))
    for (let axis = 0; axis < 3; axis++)
      ahead[axis] = cubics[o + 4 * axis + 2] + 3 * u * cubics[o + 4 * axis + 3];
  const length = Math.hypot(ahead[0], ahead[1], ahead[2]) || 1;
  for (let axis = 0; axis < 3; axis++) ahead[axis] /= length;
}

/** Straight up or down within this: then the first axis of {@link headingAlong} is (1, 0, 0). */
const UPRIGHT = 1e-6;

/**
 * Writes the rotation whose third axis lies along a direction of length 1, and whose second is as near to (0, 1, 0) as that
 * allows.
 */
export function headingAlong([x, y, z]: ArrayLike<number> & Iterable<number>, out: Float64Array): void {
  const upright = Math.hypot(x, Math.abs(y) - 1, z) < UPRIGHT;
  // First axis: up × along, level.
  const level = Math.hypot(x, z);
  const [ax, az] = upright ? [1, 0] : [z / level, -x / level];
  // Second axis: along × first.
  const [bx, by, bz] = [y * az, z * ax - x * az, -y * ax];
  // From the matrix of the three axes, by its largest part (Shepperd 1978).
  const parts = [ax - by - z, by - ax - z, z - ax - by, ax + by + z];
  const largest = parts.indexOf(Math.max(...parts));
  const [m01, m02, m10, m12, m20, m21] = [bx, x, 0, y, az, bz];
  const whole = 1 + parts[largest];
  if (largest === 0) set(out, whole, m10 + m01, m20 + m02, m21 - m12);
  else if (largest === 1) set(out, m10 + m01, whole, m21 + m12, m02 - m20);
  else if (largest === 2) set(out, m20 + m02, m21 + m12, whole, m10 - m01);
  else set(out, m21 - m12, m02 - m20, m10 - m01, whole);
}

function set(out: Float64Array, x: number, y: number, z: number, w: number): void {
  const length = Math.hypot(x, y, z, w);
  out[0] = x / length;
  out[1] = y / length;
  out[2] = z / length;
  out[3] = w / length;
}
