/** Two numbers of 64 bits at once: what several kernels need. The sums are those of `math/` in the same order. */

// @ts-ignore: decorator
@inline
export function num(value: f64): v128 {
  return f64x2.splat(value);
}

/** The numbers at two addresses. */
// @ts-ignore: decorator
@inline
export function both(one: usize, other: usize): v128 {
  return v128.load64_lane(other, v128.load64_splat(one), 1);
}

/** `c + z · rest` */
// @ts-ignore: decorator
@inline
function then(c: f64, z: v128, rest: v128): v128 {
  return f64x2.add(num(c), f64x2.mul(z, rest));
}

/** `smallSine` of `math/elementary.ts`. */
// @ts-ignore: decorator
@inline
export function smallSine(x: v128): v128 {
  const z = f64x2.mul(x, x);
  let p = then(1.0 / 6227020800.0, z, num(-1.0 / 1307674368000.0));
  p = then(-1.0 / 39916800.0, z, p);
  p = then(1.0 / 362880.0, z, p);
  p = then(-1.0 / 5040.0, z, p);
  p = then(1.0 / 120.0, z, p);
  p = then(-1.0 / 6.0, z, p);
  return f64x2.add(x, f64x2.mul(f64x2.mul(x, z), p));
}
