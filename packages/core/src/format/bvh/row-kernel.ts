import { kernelModule } from '../../kernel/module.js';
import { EULER_AXES, type EulerOrder } from '../../math/euler.js';
import type { Samples } from '../../take/take.js';
import { NUMBER, THREES } from '../digits.js';

/**
 * Writes rows of angles and translations as text in WebAssembly; its source is in `kernel/rows.ts`.
 *
 * ```
 * END       how far the text goes, 4 bytes
 * DIGITS    the digits of the numbers up to 999, 4 bytes each
 * JOINTS    the order of each joint, 32 bytes
 * columns   what each number of a row is, 16 bytes
 * angles    of a row, 24 bytes a joint; then the same of the row before
 * turns     the rotations of some samples, 32 bytes a joint
 * moves     their translations, 24 bytes a joint
 * text
 * ```
 */
export interface RowKernel {
  /** The Euler angles of the row that was written last, in radians: `(rx, ry, rz)` of each joint. */
  readonly before: Float64Array;
  /**
   * Writes samples from `from` on, as many as there is room for, and returns how many. It stops before one that has a number which
   * is none or has too many digits: with 0 where that is the first.
   */
  readonly write: (part: Samples, from: number) => { readonly rows: number; readonly bytes: Uint8Array };
}

/** A number of a row: one of the three of a joint, multiplied by `factor`. */
export interface Column {
  readonly joint: number;
  readonly axis: number;
  /** Whether it is of the translation, and not an angle. */
  readonly moves: boolean;
  readonly factor: number;
}

const END = 1024;
const DIGITS = 2048;
const JOINTS = 8192;
/** Bytes of text that are written at once, about. */
const TEXT = 1 << 18;
const PAGE = 65536;

interface RowCode {
  writeRows(
    rows: number,
    joints: number,
    stride: number,
    columns: number,
    columnsEnd: number,
    angles: number,
    before: number,
    turns: number,
    moves: number,
    text: number,
  ): number;
}

/**
 * A kernel for rows of some columns, of the first joints of samples that hold `stride` of them. Undefined where this machine has no
 * WebAssembly with vectors.
 */
export function newRowKernel(
  orders: readonly EulerOrder[],
  stride: number,
  columns: readonly Column[],
): RowKernel | undefined {
  const module = kernelModule();
  if (!module) return undefined;
  const n = orders.length;
  const most = Math.max(1, Math.floor(TEXT / (NUMBER * columns.length)));
  const columnsAt = JOINTS + 32 * n;
  const columnsEnd = columnsAt + 16 * columns.length;
  const angles = columnsEnd;
  const beforeAt = angles + 24 * n;
  const turns = beforeAt + 24 * n;
  const moves = turns + 32 * stride * most;
  const text = moves + 24 * stride * most;
  // The last number is written with a digit more than it has.
  const memory = new WebAssembly.Memory({
    initial: Math.ceil((text + NUMBER * (columns.length * most + 1)) / PAGE),
  });
  const { exports } = new WebAssembly.Instance(module, { env: { memory } });
  const code = exports as unknown as RowCode;
  const bytes = new Uint8Array(memory.buffer);
  const view = new DataView(memory.buffer);
  for (let k = 0; k < 1000; k++) bytes.set(THREES.subarray(3 * k, 3 * k + 3), DIGITS + 4 * k);
  for (const [j, order] of orders.entries()) {
    const [a, b, c, sign] = EULER_AXES[order];
    for (const [k, axis] of [a, b, c].entries()) view.setInt32(JOINTS + 32 * j + 4 * k, 8 * axis, true);
    view.setFloat64(JOINTS + 32 * j + 16, sign, true);
  }
  for (const [k, { joint, axis, moves, factor }] of columns.entries()) {
    const at = 24 * joint + 8 * axis;
    view.setInt32(columnsAt + 16 * k, moves ? at : -1 - at, true);
    view.setFloat64(columnsAt + 16 * k + 8, factor, true);
  }
  const turnValues = new Float64Array(memory.buffer, turns, 4 * stride * most);
  const moveValues = new Float64Array(memory.buffer, moves, 3 * stride * most);
  return {
    before: new Float64Array(memory.buffer, beforeAt, 3 * n),
    write({ count, rotations, translations }, from) {
      const to = Math.min(count, from + most);
      turnValues.set(rotations.values.subarray(4 * stride * from, 4 * stride * to));
      moveValues.set(translations.values.subarray(3 * stride * from, 3 * stride * to));
      const rows = code.writeRows(
        ...([to - from, n, stride, columnsAt, columnsEnd, angles, beforeAt, turns, moves, text] as const),
      );
      return { rows, bytes: bytes.subarray(text, view.getUint32(END, true)) };
    },
  };
}
