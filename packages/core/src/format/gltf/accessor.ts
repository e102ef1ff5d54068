import { cut, FileError, quote } from '../error.js';
import { checkLimit, LIMITS } from '../limits.js';
import { resource } from './buffers.js';
import { type Meshopt, meshoptOf, unpacked } from './meshopt.js';
import type { Gltf } from './schema.js';

/** Numbers an element, by the type of an accessor (glTF 2.0, section 3.6.2.2). */
const SIZES = new Map([
  ['SCALAR', 1],
  ['VEC2', 2],
  ['VEC3', 3],
  ['VEC4', 4],
  ['MAT2', 4],
  ['MAT3', 9],
  ['MAT4', 16],
]);

/** How a number is written: its bytes, how it is read, and what stands for 1 where it is normalized (section 3.11). */
interface Component {
  readonly bytes: number;
  readonly read: (view: DataView, at: number) => number;
  readonly one: number;
}

const readFloat = (view: DataView, at: number): number => view.getFloat32(at, true);

const COMPONENTS = new Map<number, Component>([
  [5120, { bytes: 1, read: (view, at) => view.getInt8(at), one: 127 }],
  [5121, { bytes: 1, read: (view, at) => view.getUint8(at), one: 255 }],
  [5122, { bytes: 2, read: (view, at) => view.getInt16(at, true), one: 32_767 }],
  [5123, { bytes: 2, read: (view, at) => view.getUint16(at, true), one: 65_535 }],
  [5125, { bytes: 4, read: (view, at) => view.getUint32(at, true), one: 4_294_967_295 }],
  [5126, { bytes: 4, read: readFloat, one: 1 }],
]);

/** Reads accessors of a file, each once. Buffers that are written as URIs with data are decoded when they are needed. */
export interface AccessorReader {
  /**
   * The numbers of accessor `a`, `size` an element. Throws {@link FileError} with the place where there is none, where
   * it has another type, claims what is not there, or holds what is not a finite number.
   */
  readonly read: (a: number, size: number, where: string) => Float64Array;
}

/** Reads accessors of a glTF file with the binary chunk `bin`. */
export function accessorReader(gltf: Gltf, bin: Uint8Array): AccessorReader {
  const buffers = new Map<number, Uint8Array>();
  const done = new Map<number, Float64Array>();

  const bufferOf = (b: number, where: string): Uint8Array => {
    const known = buffers.get(b);
    if (known) return known;
    const buffer = gltf.buffers?.[b];
    if (!buffer) throw new FileError(where, `there is no buffer ${b}`);
    const { uri, byteLength } = buffer;
    const bytes =
      uri === undefined ? (b === 0 ? bin : undefined) : resource(`buffers[${b}].uri`, uri, () => undefined);
    if (!bytes)
      throw new FileError(
        `buffers[${b}]`,
        uri === undefined ? 'it has no data' : `the file ${quote(uri)} is missing, expected it in the .glb`,
      );
    if (bytes.length < byteLength)
      throw new FileError(`buffers[${b}]`, `${bytes.length} bytes, expected ${byteLength}`);
    buffers.set(b, bytes);
    return bytes;
  };

  const views = new Map<number, Uint8Array>();
  const unpackedView = (v: number, packed: Meshopt): Uint8Array => {
    const where = `bufferViews[${v}]`;
    const known = views.get(v) ?? unpacked(packed, bufferOf(packed.buffer, `${where}.buffer`), where);
    views.set(v, known);
    return known;
  };

  /** The numbers of `count` elements of `size` in a view, from `offset` on, as they are written. */
  const elements = (
    v: number,
    offset: number,
    component: Component,
    size: number,
    count: number,
    where: string,
  ): Float64Array => {
    const view = gltf.bufferViews?.[v];
    if (!view) throw new FileError(where, `there is no buffer view ${v}`);
    const packed = meshoptOf(view);
    const bytes = packed ? unpackedView(v, packed) : bufferOf(view.buffer, `bufferViews[${v}].buffer`);
    const from = packed ? 0 : (view.byteOffset ?? 0);
    const end = from + view.byteLength;
    const stride = view.byteStride ?? component.bytes * size;
    const needed = count === 0 ? 0 : offset + stride * (count - 1) + component.bytes * size;
    if (end > bytes.length || needed > view.byteLength)
      throw new FileError(
        where,
        `${count} elements of ${component.bytes * size} bytes are claimed, its buffer view has ${Math.max(0, Math.min(view.byteLength, bytes.length - from))} bytes`,
      );
    return decoded(bytes, from + offset, stride, component, size, count);
  };

  const componentOf = (type: number, where: string): Component => {
    const component = COMPONENTS.get(type);
    if (!component) throw new FileError(where, `component type ${type}, expected 5120 to 5126`);
    return component;
  };

  return {
    read(a, size, where) {
      const place = `accessors[${a}]`;
      const accessor = gltf.accessors?.[a];
      if (!accessor) throw new FileError(where, `there is no accessor ${a}`);
      const { type, count, componentType, bufferView, byteOffset = 0, normalized, sparse } = accessor;
      if (SIZES.get(type) !== size)
        throw new FileError(
          place,
          `its type is ${cut(type)}, expected ${[...SIZES].find(([, n]) => n === size)![0]}`,
        );
      const known = done.get(a);
      if (known) return known;
      const component = componentOf(componentType, `${place}.componentType`);
      // Without a view every number is 0, and nothing of what is claimed is in the file.
      if (bufferView === undefined) checkLimit(place, count * size, LIMITS.sampledValues, 'numbers');
      else checkLimit(place, count * size, LIMITS.values, 'numbers');
      const one = normalized ? component.one : 0;
      const numbers = (v: number, offset: number, some: number, at: string): Float64Array =>
        dividedBy(elements(v, offset, component, size, some, at), one);
      const read =
        bufferView === undefined
          ? new Float64Array(count * size)
          : numbers(bufferView, byteOffset, count, place);
      checkFinite(read, place, (k) => k);
      if (sparse) {
        if (sparse.count > count)
          throw new FileError(`${place}.sparse.count`, `${sparse.count}, expected up to ${count}`);
        const { indices, values } = sparse;
        const indexPlace = `${place}.sparse.indices`;
        const indexType = componentOf(indices.componentType, `${indexPlace}.componentType`);
        const at = elements(
          indices.bufferView,
          indices.byteOffset ?? 0,
          indexType,
          1,
          sparse.count,
          indexPlace,
        );
        const beyond = at.find((index) => !(index < count));
        if (beyond !== undefined)
          throw new FileError(indexPlace, `index ${beyond}, expected less than ${count}`);
        const others = numbers(
          values.bufferView,
          values.byteOffset ?? 0,
          sparse.count,
          `${place}.sparse.values`,
        );
        checkFinite(others, place, (k) => at[Math.floor(k / size)] * size + (k % size));
        for (const [k, index] of at.entries())
          read.set(others.subarray(k * size, (k + 1) * size), index * size);
      }
      done.set(a, read);
      return read;
    },
  };
}

/** Whether this machine writes numbers as files do, the lowest byte first. */
const LITTLE = new Uint8Array(Uint16Array.of(1).buffer)[0] === 1;

/** The numbers of elements that stand `stride` bytes apart. */
function decoded(
  bytes: Uint8Array,
  from: number,
  stride: number,
  { bytes: width, read }: Component,
  size: number,
  count: number,
): Float64Array {
  const at = bytes.byteOffset + from;
  if (read === readFloat && LITTLE && stride === 4 * size && at % 4 === 0)
    return Float64Array.from(new Float32Array(bytes.buffer, at, count * size));
  const data = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  const out = new Float64Array(count * size);
  for (let i = 0, o = 0; i < count; i++)
    for (let c = 0; c < size; c++) out[o++] = read(data, from + i * stride + c * width);
  return out;
}

/** Divides numbers by what stands for 1 (glTF 2.0, section 3.11); by nothing where that is 0. */
function dividedBy(numbers: Float64Array, one: number): Float64Array {
  for (let k = 0; k < numbers.length && one > 0; k++) numbers[k] = Math.max(-1, numbers[k] / one);
  return numbers;
}

/** Throws {@link FileError} where a number is not finite; `indexOf` says which of the accessor it is. */
function checkFinite(numbers: Float64Array, place: string, indexOf: (k: number) => number): void {
  const k = firstNotFinite(numbers);
  if (k >= 0) throw new FileError(place, `number ${indexOf(k)} is ${numbers[k]}, expected finite numbers`);
}

function firstNotFinite(numbers: Float64Array): number {
  for (let k = 0; k < numbers.length; k++) if (!Number.isFinite(numbers[k])) return k;
  return -1;
}
