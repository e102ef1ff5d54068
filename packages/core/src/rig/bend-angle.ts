/** Bent backwards by less than this a joint is taken so; bent by more it bends on in its own plane. */
export const BACKWARDS = (10 * Math.PI) / 180;

/** Steps in which an angle is looked for, and how exactly it is found. */
const STEP = Math.PI / 360;
const EXACT = 1e-15;

/**
 * The angle by which all inner joints of a limb turn about their axes so that its end is at a distance from its top.
 * `bones` and `axes` are 3 numbers each, in the scene. A limb that has to become longer takes the angle nearest to 0 in
 * the direction that lengthens; one that has to become shorter the smallest above 0. One with a single inner joint that
 * is bent backwards, by `bent` (below 0), becomes shorter by the angle nearest to 0 below it if that bends it backwards by
 * 10 degrees at most. Where no angle within half a turn does, it is the one that comes nearest.
 */
export function bendAngle(
  bones: Float64Array,
  axes: Float64Array,
  distance: number,
  bent: number | undefined,
): number {
  return axes.length === 3 ? ofOne(bones, axes, distance, bent) : ofSeveral(bones, axes, distance);
}

/**
 * Of one inner joint: the square of the distance is `a² + b² + 2(A + B cos s + C sin s)`, with `A` what the bones have
 * along the axis, so that `cos(s - φ)` is known (the law of cosines where both bones lie across the axis).
 */
function ofOne(bones: Float64Array, axes: Float64Array, distance: number, bent: number | undefined): number {
  const [px, py, pz, qx, qy, qz] = bones;
  const [x, y, z] = axes;
  const alongP = px * x + py * y + pz * z;
  const alongQ = qx * x + qy * y + qz * z;
  const A = alongP * alongQ;
  const B = px * qx + py * qy + pz * qz - A;
  const C = px * (y * qz - z * qy) + py * (z * qx - x * qz) + pz * (x * qy - y * qx);
  const M = Math.sqrt(B * B + C * C);
  if (M === 0) return 0;
  const own = px * px + py * py + pz * pz + qx * qx + qy * qy + qz * qz + 2 * A;
  const half = (distance * distance - own) / 2;
  if (half === B) return 0;
  const phi = Math.atan2(C, B);
  const lengthens = half > B;
  const side = lengthens ? (phi > 0 ? 1 : -1) : 1;
  const cosine = half / M;
  if (Math.abs(cosine) <= 1) {
    // It is so long at φ ± off. Where the length hardly changes one of these is 0, which rounding may put on the wrong side.
    const off = Math.acos(cosine);
    if (lengthens) return side * Math.max(0, Math.abs(phi) - off);
    if (bent !== undefined) {
      const back = Math.min(0, phi - off);
      if (bent + back >= -BACKWARDS - 1e-12) return back;
    }
    const found = Math.max(0, phi + off);
    if (found <= Math.PI) return found;
  }
  // The longest is at φ, on the side that lengthens; the shortest opposite to it, or at an end of half a turn.
  if (lengthens) return phi;
  return phi <= 0 ? phi + Math.PI : B > -B ? Math.PI : 0;
}

/**
 * How far the end is from the top when all inner joints have turned by an angle. Axes turn along with what is above them,
 * so the last inner joint may as well turn first, about its axis as it stands: v = bone + R(axis, angle) · v, from the end
 * up, by the rotation formula of Rodrigues.
 */
function lengthAt(bones: Float64Array, axes: Float64Array, angle: number): number {
  const sin = Math.sin(angle);
  const cos = Math.cos(angle);
  let o = bones.length - 3;
  let x = bones[o];
  let y = bones[o + 1];
  let z = bones[o + 2];
  for (o -= 3; o >= 0; o -= 3) {
    const a = axes[o];
    const b = axes[o + 1];
    const c = axes[o + 2];
    const along = (1 - cos) * (a * x + b * y + c * z);
    const nextX = bones[o] + cos * x + sin * (b * z - c * y) + along * a;
    const nextY = bones[o + 1] + cos * y + sin * (c * x - a * z) + along * b;
    z = bones[o + 2] + cos * z + sin * (a * y - b * x) + along * c;
    x = nextX;
    y = nextY;
  }
  return Math.sqrt(x * x + y * y + z * z);
}

function ofSeveral(bones: Float64Array, axes: Float64Array, distance: number): number {
  const start = lengthAt(bones, axes, 0) - distance;
  if (start === 0) return 0;
  const side = start > 0 || lengthAt(bones, axes, 1e-6) > lengthAt(bones, axes, -1e-6) ? 1 : -1;
  let a = 0;
  let fa = start;
  for (let k = 1; k * STEP <= Math.PI + 1e-12; k++) {
    const b = side * k * STEP;
    const fb = lengthAt(bones, axes, b) - distance;
    if (fa === 0 && k > 1) return a;
    if (fa * fb <= 0 && fb !== fa) return bisected(bones, axes, distance, a, fa, b);
    a = b;
    fa = fb;
  }
  return closest(bones, axes, distance, side);
}

function bisected(
  bones: Float64Array,
  axes: Float64Array,
  distance: number,
  from: number,
  value: number,
  to: number,
): number {
  let a = from;
  let b = to;
  let fa = value;
  while (Math.abs(b - a) > EXACT) {
    const middle = (a + b) / 2;
    if (middle === a || middle === b) break;
    const fm = lengthAt(bones, axes, middle) - distance;
    if (fa * fm <= 0) b = middle;
    else {
      a = middle;
      fa = fm;
    }
  }
  return (a + b) / 2;
}

/** The angle within half a turn at which the distance is nearest, on one side. */
function closest(bones: Float64Array, axes: Float64Array, distance: number, side: number): number {
  const off = (s: number) => Math.abs(lengthAt(bones, axes, s) - distance);
  let best = 0;
  for (let k = 1; k * STEP <= Math.PI + 1e-12; k++)
    if (off(side * k * STEP) < off(best)) best = side * k * STEP;
  let [a, b] = [best - STEP, best + STEP];
  const golden = (Math.sqrt(5) - 1) / 2;
  while (b - a > 1e-12) {
    const [c, d] = [b - golden * (b - a), a + golden * (b - a)];
    if (off(c) < off(d)) b = d;
    else a = c;
  }
  return (a + b) / 2;
}
