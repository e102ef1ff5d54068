import { normalize, slerp } from '../../math/quaternion.js';
import { FileError } from '../error.js';
import type { AccessorReader } from './accessor.js';
import type { Gltf, GltfAnimation, INTERPOLATIONS } from './schema.js';

/** The keys of one animated property: times in seconds, ascending, and `size` numbers a key: 3, or 4 for a rotation. */
export interface Sampler<Size extends number = 3 | 4> {
  readonly size: Size;
  readonly interpolation: (typeof INTERPOLATIONS)[number];
  readonly times: Float64Array;
  /** The values of the keys; of a cubic spline each with the tangent that comes in before it and the one that goes out behind it. */
  readonly values: Float64Array;
}

/**
 * Reads sampler `s` of an animation, whose property has `size` numbers; weights of morph targets as many as there are targets. Throws {@link FileError} where times fall or
 * repeat, where there are fewer values than times, or where a rotation has no direction.
 */
export function readSampler<Size extends number>(
  { read }: AccessorReader,
  { accessors }: Gltf,
  animation: GltfAnimation,
  s: number,
  size: Size,
  place: string,
  weights = false,
): Sampler<Size> {
  const sampler = animation.samplers[s];
  if (!sampler) throw new FileError(place, `there is no sampler ${s}`);
  const { interpolation = 'LINEAR', input, output } = sampler;
  const times = read(input, 1, `${place}.input`);
  const values = read(output, weights ? 1 : size, `${place}.output`);
  const falls = firstFalling(times);
  if (falls >= 0)
    throw new FileError(
      `accessors[${input}]`,
      falls === 0
        ? `time 0 is ${times[0]}, expected 0 or more`
        : `time ${falls} is ${times[falls]} after ${times[falls - 1]}, expected rising times`,
    );
  const cubic = interpolation === 'CUBICSPLINE';
  const needed = times.length * (cubic ? 3 : 1);
  if (times.length === 0)
    throw new FileError(`accessors[${input}]`, 'there are no times, expected one at least');
  if (values.length < needed * size)
    throw new FileError(
      `accessors[${output}]`,
      `${accessors![output].count} elements, expected ${weights ? needed * size : needed}`,
    );
  const without = size === 4 && !weights ? firstWithoutLength(values, times.length, cubic) : -1;
  if (without >= 0)
    throw new FileError(`accessors[${output}]`, `the quaternion of key ${without} has length 0, expected 1`);
  return { size, interpolation, times, values };
}

/** The first time that is below 0 or not above the one before it; -1 where all rise. */
function firstFalling(times: Float64Array): number {
  for (let k = 0; k < times.length; k++)
    if (!(times[k] >= 0) || (k > 0 && times[k] <= times[k - 1])) return k;
  return -1;
}

/** The first of so many keys whose quaternion has no direction; -1 where all have one. */
function firstWithoutLength(values: Float64Array, keys: number, cubic: boolean): number {
  for (let k = 0; k < keys; k++) {
    const o = 4 * (cubic ? 3 * k + 1 : k);
    if (!(Math.hypot(values[o], values[o + 1], values[o + 2], values[o + 3]) > 1e-3)) return k;
  }
  return -1;
}

/** Where in its keys a sampler was read last: later times are found from there. */
export interface Cursor {
  key: number;
}

const from = new Float64Array(4);
const to = new Float64Array(4);

/**
 * Writes the value of a sampler at a time in seconds (glTF 2.0, appendix C: step, linear, spherical linear, cubic
 * spline). Times have to ascend from call to call. A key nearer than `snap` seconds counts as there.
 */
export function sampleAt(
  { size, interpolation, times, values }: Sampler,
  time: number,
  snap: number,
  cursor: Cursor,
  out: Float64Array,
  o: number,
): void {
  while (cursor.key + 1 < times.length && times[cursor.key + 1] <= time + snap) cursor.key++;
  const key = cursor.key;
  const next = Math.min(key + 1, times.length - 1);
  const cubic = interpolation === 'CUBICSPLINE';
  const a = size * (cubic ? 3 * key + 1 : key);
  const b = size * (cubic ? 3 * next + 1 : next);
  const h = times[next] - times[key];
  const onKey = h === 0 || interpolation === 'STEP' || time - times[key] <= snap;
  const u = onKey ? 0 : (time - times[key]) / h;
  if (onKey) for (let c = 0; c < size; c++) out[o + c] = values[a + c];
  else if (cubic) {
    const leave = a + size;
    const arrive = b - size;
    for (let c = 0; c < size; c++)
      out[o + c] =
        (2 * u ** 3 - 3 * u ** 2 + 1) * values[a + c] +
        (u ** 3 - 2 * u ** 2 + u) * h * values[leave + c] +
        (-2 * u ** 3 + 3 * u ** 2) * values[b + c] +
        (u ** 3 - u ** 2) * h * values[arrive + c];
  } else if (size === 3) for (let c = 0; c < 3; c++) out[o + c] = (1 - u) * values[a + c] + u * values[b + c];
  else {
    for (let c = 0; c < 4; c++) {
      from[c] = values[a + c];
      to[c] = values[b + c];
    }
    normalize(from, 0);
    normalize(to, 0);
    slerp(out, o, from, 0, to, 0, u);
  }
  if (size === 4) normalize(out, o);
}
