/**
 * Hamilton quaternions stored `(x, y, z, w)` in flat buffers.
 *
 * Every function writes to `out` at offset `o` and reads its operands at their offsets, so that a whole
 * pose lives in one `Float64Array` and nothing is allocated. `out` may be one of the operands.
 */
export type Numbers = Float64Array | number[];

/** `out = a · b`: first `b`, then `a`, as with matrices on column vectors. */
export function multiply(out: Numbers, o: number, a: Numbers, i: number, b: Numbers, j: number): void {
  const ax = a[i];
  const ay = a[i + 1];
  const az = a[i + 2];
  const aw = a[i + 3];
  const bx = b[j];
  const by = b[j + 1];
  const bz = b[j + 2];
  const bw = b[j + 3];
  out[o] = aw * bx + ax * bw + ay * bz - az * by;
  out[o + 1] = aw * by - ax * bz + ay * bw + az * bx;
  out[o + 2] = aw * bz + ax * by - ay * bx + az * bw;
  out[o + 3] = aw * bw - ax * bx - ay * by - az * bz;
}

/** `out = a⁻¹ · b` for a unit `a`: the turn that takes `a` to `b`, in the axes of `a`. */
export function multiplyInverse(out: Numbers, o: number, a: Numbers, i: number, b: Numbers, j: number): void {
  const ax = -a[i];
  const ay = -a[i + 1];
  const az = -a[i + 2];
  const aw = a[i + 3];
  const bx = b[j];
  const by = b[j + 1];
  const bz = b[j + 2];
  const bw = b[j + 3];
  out[o] = aw * bx + ax * bw + ay * bz - az * by;
  out[o + 1] = aw * by - ax * bz + ay * bw + az * bx;
  out[o + 2] = aw * bz + ax * by - ay * bx + az * bw;
  out[o + 3] = aw * bw - ax * bx - ay * by - az * bz;
}

/** `out = a · b⁻¹` for a unit `b`: the turn that takes `b` to `a`, in the axes both are written in. */
export function multiplyByInverse(
  out: Numbers,
  o: number,
  a: Numbers,
  i: number,
  b: Numbers,
  j: number,
): void {
  const inverse = [-b[j], -b[j + 1], -b[j + 2], b[j + 3]];
  multiply(out, o, a, i, inverse, 0);
}

/** Scales a quaternion to length 1; the identity where it has no length. */
export function normalize(out: Numbers, o: number): void {
  const length = Math.hypot(out[o], out[o + 1], out[o + 2], out[o + 3]);
  if (!(length > 0)) {
    out[o] = 0;
    out[o + 1] = 0;
    out[o + 2] = 0;
    out[o + 3] = 1;
    return;
  }
  const s = 1 / length;
  out[o] *= s;
  out[o + 1] *= s;
  out[o + 2] *= s;
  out[o + 3] *= s;
}

/**
 * Spherical linear interpolation along the shorter great circle (Shoemake, SIGGRAPH 1985), for unit `a`, `b`.
 * `t` may leave [0, 1]: the turn goes on at the same rate.
 */
export function slerp(
  out: Numbers,
  o: number,
  a: Numbers,
  i: number,
  b: Numbers,
  j: number,
  t: number,
): void {
  const ax = a[i];
  const ay = a[i + 1];
  const az = a[i + 2];
  const aw = a[i + 3];
  let bx = b[j];
  let by = b[j + 1];
  let bz = b[j + 2];
  let bw = b[j + 3];
  if (ax * bx + ay * by + az * bz + aw * bw < 0) {
    bx = -bx;
    by = -by;
    bz = -bz;
    bw = -bw;
  }
  // The angle from the chord is exact for nearly equal quaternions, where the arc cosine of the dot is not.
  const dx = bx - ax;
  const dy = by - ay;
  const dz = bz - az;
  const dw = bw - aw;
  const theta = 2 * Math.asin(Math.min(1, Math.sqrt(dx * dx + dy * dy + dz * dz + dw * dw) / 2));
  let u = 1 - t;
  let v = t;
  if (theta > 1e-8) {
    const s = 1 / Math.sin(theta);
    u = Math.sin((1 - t) * theta) * s;
    v = Math.sin(t * theta) * s;
  }
  const x = u * ax + v * bx;
  const y = u * ay + v * by;
  const z = u * az + v * bz;
  const w = u * aw + v * bw;
  const n = 1 / Math.sqrt(x * x + y * y + z * z + w * w);
  out[o] = x * n;
  out[o + 1] = y * n;
  out[o + 2] = z * n;
  out[o + 3] = w * n;
}

/**
 * `out = a` to the power `t`, by the shorter way round: the same axis, `t` times the angle.
 * Equals `slerp(1, a, t)`, also for `t > 1`.
 */
export function power(out: Numbers, o: number, a: Numbers, i: number, t: number): void {
  const sign = a[i + 3] < 0 ? -1 : 1;
  const x = a[i] * sign;
  const y = a[i + 1] * sign;
  const z = a[i + 2] * sign;
  const w = a[i + 3] * sign;
  const s = Math.sqrt(x * x + y * y + z * z);
  const half = Math.atan2(s, w) * t;
  const k = s > 1e-12 ? Math.sin(half) / s : t;
  out[o] = x * k;
  out[o + 1] = y * k;
  out[o + 2] = z * k;
  out[o + 3] = Math.cos(half);
}

/** Angle in radians, in [0, π], between two orientations. */
export function angleBetween(a: Numbers, i: number, b: Numbers, j: number): number {
  let dot = a[i] * b[j] + a[i + 1] * b[j + 1] + a[i + 2] * b[j + 2] + a[i + 3] * b[j + 3];
  const sign = dot < 0 ? -1 : 1;
  dot *= sign;
  const chord = Math.hypot(
    a[i] - sign * b[j],
    a[i + 1] - sign * b[j + 1],
    a[i + 2] - sign * b[j + 2],
    a[i + 3] - sign * b[j + 3],
  );
  return 4 * Math.asin(Math.min(1, chord / 2));
}

/** Turns the vector `v` at `j` by the unit quaternion `q` at `i`. */
export function rotate(out: Numbers, o: number, q: Numbers, i: number, v: Numbers, j: number): void {
  const x = q[i];
  const y = q[i + 1];
  const z = q[i + 2];
  const w = q[i + 3];
  const vx = v[j];
  const vy = v[j + 1];
  const vz = v[j + 2];
  const tx = 2 * (y * vz - z * vy);
  const ty = 2 * (z * vx - x * vz);
  const tz = 2 * (x * vy - y * vx);
  out[o] = vx + w * tx + y * tz - z * ty;
  out[o + 1] = vy + w * ty + z * tx - x * tz;
  out[o + 2] = vz + w * tz + x * ty - y * tx;
}
