/**
 * Blends the rotations of a take into a pose, four joints at once, in 32-bit floats. This is AssemblyScript; it
 * is compiled to WebAssembly when the packages are installed. `src/evaluate/kernel.ts` feeds it, and
 * `src/evaluate/blend-take.ts` does the same in plain TypeScript and 64 bits.
 *
 * Quaternions lie in groups of four joints, 64 bytes a group:
 *
 *   x0 x1 x2 x3 | y0 y1 y2 y3 | z0 z1 z2 z3 | w0 w1 w2 w3
 *
 * Slerp works with the half angle φ between the two: the weight of `b` is sin(2tφ) / sin 2φ, and sin(sφ) / sin φ
 * is a series in y = 1 - cos φ, with y below 0.3 and terms that shrink faster than y / 2:
 *
 *   s · (1 + b₁y · (1 + b₂y · (1 + ...)))    with bₖ = (k² - s²) / (k(2k + 1))
 *
 * No branch and no call is needed, and a weight of 0 leaves a joint as it is to the last bit: lanes of joints that a
 * layer does not touch pass through. Six terms miss by 1.7e-7.
 */

/** Tables of the series, by multiples of 16 bytes: for the first and the second operand of both slerps. */
const OF_A: usize = 0;
const OF_B: usize = 128;
const OF_BELOW: usize = 256;
const OF_CONTENT: usize = 384;

/**
 * Two numbers that the caller leaves here: α and how far it is from row A to row B. As arguments they would be put
 * in boxes on the heap at every call. Beside them the two for which the tables were written last.
 */
const ALPHA: usize = 512;
const BETWEEN: usize = 516;
const LAST_ALPHA: usize = 520;
const LAST_BETWEEN: usize = 524;

/** Writes the tables for a layer, where they are not there already from the layer before. */
function prepareLayer(): void {
  const u = load<f32>(BETWEEN);
  if (u != load<f32>(LAST_BETWEEN)) prepare(f32x4.splat(u), OF_A, OF_B);
  store<f32>(LAST_BETWEEN, u);
  const alpha = load<f32>(ALPHA);
  if (alpha != load<f32>(LAST_ALPHA)) prepare(f32x4.splat(alpha), OF_BELOW, OF_CONTENT);
  store<f32>(LAST_ALPHA, alpha);
}

/** Writes the series' coefficients for the parameter `t` of each lane, of both operands. */
function prepare(t: v128, first: usize, second: usize): void {
  fill(first, f32x4.mul(f32x4.splat(2), f32x4.sub(f32x4.splat(1), t)));
  fill(second, f32x4.mul(f32x4.splat(2), t));
}

/** `bₖ`, with `square` k² and `part` 1 / (k(2k + 1)). */
// @ts-ignore: decorator
@inline
function factor(ss: v128, square: f32, part: f32): v128 {
  return f32x4.mul(f32x4.sub(f32x4.splat(square), ss), f32x4.splat(part));
}

// @ts-ignore: decorator
@inline
function fill(table: usize, s: v128): void {
  const ss = f32x4.mul(s, s);
  let c = s;
  v128.store(table, c);
  c = f32x4.mul(c, factor(ss, 1, 1.0 / 3.0));
  v128.store(table, c, 16);
  c = f32x4.mul(c, factor(ss, 4, 1.0 / 10.0));
  v128.store(table, c, 32);
  c = f32x4.mul(c, factor(ss, 9, 1.0 / 21.0));
  v128.store(table, c, 48);
  c = f32x4.mul(c, factor(ss, 16, 1.0 / 36.0));
  v128.store(table, c, 64);
  c = f32x4.mul(c, factor(ss, 25, 1.0 / 55.0));
  v128.store(table, c, 80);
  c = f32x4.mul(c, factor(ss, 36, 1.0 / 78.0));
  v128.store(table, c, 96);
}

/** Sums the series of a table for `y`, by halves, which keeps the chain of waiting short (Estrin's scheme). */
// @ts-ignore: decorator
@inline
function series(table: usize, y: v128): v128 {
  const yy = f32x4.mul(y, y);
  const p0 = f32x4.add(v128.load(table), f32x4.mul(v128.load(table, 16), y));
  const p1 = f32x4.add(v128.load(table, 32), f32x4.mul(v128.load(table, 48), y));
  const p2 = f32x4.add(f32x4.add(v128.load(table, 64), f32x4.mul(v128.load(table, 80), y)), f32x4.mul(yy, v128.load(table, 96)));
  return f32x4.add(p0, f32x4.mul(yy, f32x4.add(p1, f32x4.mul(yy, p2))));
}

/** Cosine of the half angle between quaternions whose product is `dot`, up to its sign. */
// @ts-ignore: decorator
@inline
function halfCosine(dot: v128): v128 {
  return f32x4.sqrt(f32x4.mul(f32x4.add(f32x4.abs(dot), f32x4.splat(1)), f32x4.splat(0.5)));
}

/** The sign bits of a vector. */
// @ts-ignore: decorator
@inline
function signs(v: v128): v128 {
  return v128.and(v, f32x4.splat(-0.0));
}

// @ts-ignore: decorator
@inline
function sum(a: v128, wa: v128, b: v128, wb: v128): v128 {
  return f32x4.add(f32x4.mul(a, wa), f32x4.mul(b, wb));
}

// @ts-ignore: decorator
@inline
function dot(ax: v128, ay: v128, az: v128, aw: v128, bx: v128, by: v128, bz: v128, bw: v128): v128 {
  return f32x4.add(sum(ax, bx, ay, by), sum(az, bz, aw, bw));
}

/** `a·b + c·d + e·f - g·h` */
// @ts-ignore: decorator
@inline
function three(a: v128, b: v128, c: v128, d: v128, e: v128, f: v128, g: v128, h: v128): v128 {
  return f32x4.sub(f32x4.add(sum(a, b, c, d), f32x4.mul(e, f)), f32x4.mul(g, h));
}

/** Byte offset of the `i`-th group of a list, or of the `i`-th of all. */
// @ts-ignore: decorator
@inline
function groupOf(groups: usize, i: i32): usize {
  return groups == 0 ? <usize>i << 6 : <usize>load<u32>(groups + (<usize>i << 2));
}

/** Sees to it that the tables are those of a group's own α, and returns for which α they are now. */
// @ts-ignore: decorator
@inline
function prepareGroup(alphas: usize, i: i32, prepared: v128): v128 {
  if (alphas == 0) return prepared;
  const own = v128.load(alphas + (<usize>i << 4));
  if (v128.any_true(f32x4.ne(own, prepared))) {
    prepare(own, OF_BELOW, OF_CONTENT);
    store<f32>(LAST_ALPHA, f32.NaN);
  }
  return own;
}

/** `a·b - c·d - e·f - g·h` */
// @ts-ignore: decorator
@inline
function less(a: v128, b: v128, c: v128, d: v128, e: v128, f: v128, g: v128, h: v128): v128 {
  return f32x4.sub(f32x4.sub(f32x4.sub(f32x4.mul(a, b), f32x4.mul(c, d)), f32x4.mul(e, f)), f32x4.mul(g, h));
}

/**
 * Blends `content = slerp(rowA, rowB, u)` into the pose. Without a reference it overrides:
 *
 *   pose = slerp(pose, content, α)
 *
 * With one, which is a row like the others, it adds the change from it:
 *
 *   pose = pose · slerp(1, reference⁻¹ · content, α)
 *
 * `groups` lists the byte offsets of `count` groups, or is 0 for the first `count` of them; `alphas` holds four
 * numbers for each group of the list, or is 0 where the one at ALPHA serves them all.
 */
export function blendPose(
  groups: usize,
  count: i32,
  alphas: usize,
  rowA: usize,
  rowB: usize,
  pose: usize,
  reference: usize,
): void {
  prepareLayer();
  let prepared = v128.load32_splat(ALPHA);
  for (let i: i32 = 0; i < count; i++) {
    const g = groupOf(groups, i);
    prepared = prepareGroup(alphas, i, prepared);
    let qx = v128.load(rowA + g), qy = v128.load(rowA + g, 16), qz = v128.load(rowA + g, 32), qw = v128.load(rowA + g, 48);
    let c: v128, y: v128;
    if (rowB != rowA) {
      const bx = v128.load(rowB + g), by = v128.load(rowB + g, 16), bz = v128.load(rowB + g, 32), bw = v128.load(rowB + g, 48);
      const d = dot(qx, qy, qz, qw, bx, by, bz, bw);
      c = halfCosine(d);
      y = f32x4.sub(f32x4.splat(1), c);
      const part = f32x4.div(f32x4.splat(0.5), c);
      const wa = f32x4.mul(series(OF_A, y), part);
      const wb = v128.xor(f32x4.mul(series(OF_B, y), part), signs(d));
      qx = sum(qx, wa, bx, wb);
      qy = sum(qy, wa, by, wb);
      qz = sum(qz, wa, bz, wb);
      qw = sum(qw, wa, bw, wb);
    }
    const p = pose + g;
    const px = v128.load(p), py = v128.load(p, 16), pz = v128.load(p, 32), pw = v128.load(p, 48);
    if (reference == 0) {
      const d = dot(px, py, pz, pw, qx, qy, qz, qw);
      c = halfCosine(d);
      y = f32x4.sub(f32x4.splat(1), c);
      const wp = f32x4.div(series(OF_BELOW, y), f32x4.add(c, c));
      const wq = v128.xor(f32x4.div(series(OF_CONTENT, y), f32x4.add(c, c)), signs(d));
      v128.store(p, sum(px, wp, qx, wq));
      v128.store(p, sum(py, wp, qy, wq), 16);
      v128.store(p, sum(pz, wp, qz, wq), 32);
      v128.store(p, sum(pw, wp, qw, wq), 48);
    } else {
      const r = reference + g;
      const rx = f32x4.neg(v128.load(r)), ry = f32x4.neg(v128.load(r, 16)), rz = f32x4.neg(v128.load(r, 32)), rw = v128.load(r, 48);
      const dx = three(rw, qx, rx, qw, ry, qz, rz, qy);
      const dy = three(rw, qy, ry, qw, rz, qx, rx, qz);
      const dz = three(rw, qz, rz, qw, rx, qy, ry, qx);
      const dw = less(rw, qw, rx, qx, ry, qy, rz, qz);
      c = halfCosine(dw);
      y = f32x4.sub(f32x4.splat(1), c);
      const wd = v128.xor(f32x4.div(series(OF_CONTENT, y), f32x4.add(c, c)), signs(dw));
      const ex = f32x4.mul(dx, wd), ey = f32x4.mul(dy, wd), ez = f32x4.mul(dz, wd);
      const ew = f32x4.add(f32x4.mul(dw, wd), f32x4.div(series(OF_BELOW, y), f32x4.add(c, c)));
      v128.store(p, three(pw, ex, px, ew, py, ez, pz, ey));
      v128.store(p, three(pw, ey, py, ew, pz, ex, px, ez), 16);
      v128.store(p, three(pw, ez, pz, ew, px, ey, py, ex), 32);
      v128.store(p, less(pw, ew, px, ex, py, ey, pz, ez), 48);
    }
  }
}

/**
 * Writes the quaternions of the first `count` groups of a pose as they lie outside, joint by joint in 64 bits,
 * brought to length 1.
 */
export function writePose(count: i32, pose: usize, out: usize): void {
  for (let i: i32 = 0; i < count; i++) {
    const p = pose + (<usize>i << 6);
    let x = v128.load(p), y = v128.load(p, 16), z = v128.load(p, 32), w = v128.load(p, 48);
    const s = f32x4.div(f32x4.splat(1), f32x4.sqrt(dot(x, y, z, w, x, y, z, w)));
    x = f32x4.mul(x, s);
    y = f32x4.mul(y, s);
    z = f32x4.mul(z, s);
    w = f32x4.mul(w, s);
    const xy0 = v128.shuffle<f32>(x, y, 0, 4, 1, 5), xy2 = v128.shuffle<f32>(x, y, 2, 6, 3, 7);
    const zw0 = v128.shuffle<f32>(z, w, 0, 4, 1, 5), zw2 = v128.shuffle<f32>(z, w, 2, 6, 3, 7);
    v128.store(out, f64x2.promote_low_f32x4(xy0));
    v128.store(out, f64x2.promote_low_f32x4(zw0), 16);
    v128.store(out, f64x2.promote_low_f32x4(upper(xy0)), 32);
    v128.store(out, f64x2.promote_low_f32x4(upper(zw0)), 48);
    v128.store(out, f64x2.promote_low_f32x4(xy2), 64);
    v128.store(out, f64x2.promote_low_f32x4(zw2), 80);
    v128.store(out, f64x2.promote_low_f32x4(upper(xy2)), 96);
    v128.store(out, f64x2.promote_low_f32x4(upper(zw2)), 112);
    out += 128;
  }
}

// @ts-ignore: decorator
@inline
function upper(v: v128): v128 {
  return v128.shuffle<f32>(v, v, 2, 3, 2, 3);
}
