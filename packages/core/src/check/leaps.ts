import { quantile } from '../math/quantile.js';
import type { Rig } from '../rig/rig.js';
import { matrixAt, rotationAt, type SeenMotion } from './seen.js';

/** Seconds on both sides of a frame, and how many times that part of what a joint does there it has to be above. */
const AROUND: readonly (readonly [seconds: number, part: number, times: number])[] = [
  [0.15, 0.5, 5],
  [0.45, 0.5, 5],
  [0.7, 0.9, 2.5],
];
/** Below this, in radians or of a lever as long as that, nothing is seen to leap. */
const LEAST = (2 * Math.PI) / 180;
/** Of all that a joint does in the motion this part is left out, and a leap that is rare is so many times above the rest. */
const LIVELIEST = 0.995;
const RARE = 2.8;

/** What a frame is for a joint: it does what it does around it, it leaps, it leaps as it does nowhere else. */
export const CALM = 0;
export const LEAPS = 1;
export const LEAPS_RARELY = 2;

/**
 * The frames at which a joint leaps, of one kind above each. It is where its turn, or a root's way, is off the cubic through
 * two frames on both sides by far more than it is around that, by medians of several widths, which a leap itself does not
 * move. A turn is measured against the parent and in the scene, and the smaller counts: where a joint makes good what its
 * parent does, the parent leaps. `axes` are those of a matrix by which the way of a root is measured; `lever` is how long
 * in the units of the rig the part is that turns with the joint, `step` over how many frames accelerations are measured.
 */
export function leapsOf(
  seen: SeenMotion,
  rig: Rig,
  joint: number,
  axes: readonly number[],
  lever: number,
  fps: number,
  step: number,
): Uint8Array {
  const out = new Uint8Array(seen.frames.length);
  const turn = offTurn(seen, joint);
  mark(out, turn, fps);
  if (rig.joints[joint].parent >= 0) return out;
  const move = offMove(seen, joint, axes).map((value) => value / lever);
  mark(out, move, fps);
  markEnds(out, seen, joint, axes, lever, step, turn, move);
  return out;
}

/** How far a first or last sample has to be off before it is a pose of its own, in radians or parts of a lever. */
const ALONE = 0.06;
/** Times that a parabola through three samples on one side is further off than a cubic through two on both. */
const GAIN = 4;
/** Of all that a joint does so much is less than what it usually does at most. */
const MOST = 0.95;

/**
 * Marks where a root leaps out of its first sample, or into its last, as where a file begins with a pose of its own: off the
 * parabola through the three samples next to it. It is then a leap of all joints. Accelerations see it `step` frames inside.
 */
function markEnds(
  out: Uint8Array,
  seen: SeenMotion,
  joint: number,
  axes: readonly number[],
  lever: number,
  step: number,
  turn: Float64Array,
  move: Float64Array,
): void {
  const count = out.length;
  if (count < 4 * SHARED || count <= 2 * step) return;
  for (const [end, side] of [
    [0, 1],
    [count - 1, -1],
  ]) {
    const [a, b, c] = [0, 2, 3].map((k) =>
      turnOf(seen.rotations, rotationAt(seen, end + side, joint), rotationAt(seen, end + k * side, joint)),
    );
    const turned = Math.hypot(...[0, 1, 2].map((k) => a[k] + 3 * b[k] - c[k]));
    const at = (k: number, axis: number) => seen.matrices[matrixAt(seen, end + k * side, joint) + axis];
    const moved =
      Math.hypot(...axes.map((axis) => at(0, axis) - 3 * at(1, axis) + 3 * at(2, axis) - at(3, axis))) /
      lever;
    const alone = (off: number, usual: Float64Array) =>
      off > ALONE && off > GAIN * quantileAround(usual, end, count, MOST);
    if (alone(turned, turn) || alone(moved, move)) out[end + side * step] = LEAPS_RARELY;
  }
}

/** How many frames on each side of one see the same leap. */
const SHARED = 3;

function mark(out: Uint8Array, off: Float64Array, fps: number): void {
  for (let f = 0; f < off.length; f++) {
    if (off[f] < LEAST) continue;
    const stands = AROUND.every(
      ([seconds, part, times]) =>
        off[f] > times * quantileAround(off, f, Math.max(2 * SHARED, Math.round(seconds * fps)), part),
    );
    if (!stands) continue;
    const rare = off[f] > RARE * quantileAround(off, f, off.length, LIVELIEST);
    out[f] = Math.max(out[f], rare ? LEAPS_RARELY : LEAPS);
  }
}

/** The value that a share of those around a frame are at or below; those that see the same leap are left out. */
function quantileAround(off: Float64Array, f: number, reach: number, share: number): number {
  const around: number[] = [];
  for (let k = Math.max(SHARED, f - reach); k < Math.min(off.length - SHARED, f + reach + 1); k++)
    if (Math.abs(k - f) > SHARED) around.push(off[k]);
  return quantile(around, share);
}

/** How far the rotation of a joint is off, in radians. The first and the last sample alone are no leap. */
function offTurn(seen: SeenMotion, joint: number): Float64Array {
  const off = new Float64Array(seen.frames.length);
  for (let f = SHARED; f + SHARED < off.length; f++) {
    // Turns from the frame itself to the four others.
    const here = rotationAt(seen, f, joint);
    const a = turnOf(seen.rotations, here, rotationAt(seen, f - 2, joint));
    const b = turnOf(seen.rotations, here, rotationAt(seen, f - 1, joint));
    const c = turnOf(seen.rotations, here, rotationAt(seen, f + 1, joint));
    const d = turnOf(seen.rotations, here, rotationAt(seen, f + 2, joint));
    let squared = 0;
    for (let k = 0; k < 3; k++) squared += ((4 * (b[k] + c[k]) - a[k] - d[k]) / 6) ** 2;
    const own = Math.sqrt(squared);
    off[f] = own < LEAST ? own : Math.min(own, offAxes(seen, joint, f));
  }
  return off;
}

/** How far the axes of a joint are off in the scene, in radians: a small turn moves three axes by its sine, twice. */
function offAxes(seen: SeenMotion, joint: number, f: number): number {
  let squared = 0;
  for (let column = 0; column < 12; column += 4) {
    let length = 0;
    let off = 0;
    for (let axis = column; axis < column + 3; axis++) {
      off += offAt(seen, joint, f, axis) ** 2;
      length += seen.matrices[matrixAt(seen, f, joint) + axis] ** 2;
    }
    squared += length > 0 ? off / length : 0;
  }
  return Math.sqrt(squared / 2);
}

/** How far the place of a joint in the scene is off, in units of the rig. */
function offMove(seen: SeenMotion, joint: number, axes: readonly number[]): Float64Array {
  const off = new Float64Array(seen.frames.length);
  for (let f = SHARED; f + SHARED < off.length; f++)
    off[f] = Math.hypot(...axes.map((axis) => offAt(seen, joint, f, axis)));
  return off;
}

/** How far a number of a joint's global transform is off the cubic through two frames on both sides. */
function offAt(seen: SeenMotion, joint: number, f: number, axis: number): number {
  const { matrices } = seen;
  const o = matrixAt(seen, f, joint) + axis;
  const step = matrixAt(seen, f + 1, joint) + axis - o;
  return (
    (4 * (matrices[o - step] + matrices[o + step]) - matrices[o - 2 * step] - matrices[o + 2 * step]) / 6 -
    matrices[o]
  );
}

/** How the turn of a joint to the next frame differs from that to this one, in radians. */
export function secondTurn(seen: SeenMotion, f: number, step: number, joint: number): number {
  const r = seen.rotations;
  const [a, b, c] = [f - step, f, f + step].map((k) => rotationAt(seen, k, joint));
  const before = turnOf(r, a, b);
  const after = turnOf(r, b, c);
  return Math.hypot(after[0] - before[0], after[1] - before[1], after[2] - before[2]);
}

/** The turn from one rotation to another as an axis times an angle, in the parent's axes. */
function turnOf(r: Float64Array, a: number, b: number): [number, number, number] {
  // q = b · a⁻¹
  const x = -r[b + 3] * r[a] + r[b] * r[a + 3] - r[b + 1] * r[a + 2] + r[b + 2] * r[a + 1];
  const y = -r[b + 3] * r[a + 1] + r[b] * r[a + 2] + r[b + 1] * r[a + 3] - r[b + 2] * r[a];
  const z = -r[b + 3] * r[a + 2] - r[b] * r[a + 1] + r[b + 1] * r[a] + r[b + 2] * r[a + 3];
  const w = r[b] * r[a] + r[b + 1] * r[a + 1] + r[b + 2] * r[a + 2] + r[b + 3] * r[a + 3];
  const side = w < 0 ? -1 : 1;
  const sin = Math.sqrt(x * x + y * y + z * z);
  const angle = 2 * Math.atan2(sin, Math.abs(w));
  const k = sin > 1e-12 ? (side * angle) / sin : 2 * side;
  return [k * x, k * y, k * z];
}
