import { kernelModule } from '../kernel/module.js';
import { EULER_AXES, type EulerOrder } from '../math/euler.js';

/** Frames that are evaluated at once: what `kernel/turns.ts` has room for. */
export const BLOCK = 32;

/**
 * Blends keyed rotations into the poses of a block of frames in WebAssembly; its source is in `kernel/turns.ts`, with what
 * lies where. Rows have a number for each frame.
 */
export interface TurnKernel {
  readonly code: TurnKernelCode;
  readonly joints: number;
  readonly alphas: Float64Array;
  /** The rotations of the poses, one pose after the other. */
  readonly rotations: Float64Array;
  /** What is to be blended, as numbers and as integers. */
  readonly list: Float64Array;
  readonly listPlaces: Int32Array;
}

interface TurnKernelCode {
  blendTurns(list: number, count: number, poses: number, stride: number, additive: number): void;
}

const ROW = 8 * BLOCK;
const ALPHAS = 2048;
const POSES = ALPHAS + 31 * ROW;
const PAGE = 65536;
/** Numbers of a joint on the list: its head, and three rows of angles. */
const ENTRY = 4 + 3 * BLOCK;

/** A kernel for poses of so many joints; undefined where this machine has no WebAssembly with vectors. */
export function newTurnKernel(joints: number): TurnKernel | undefined {
  const module = kernelModule();
  if (!module) return undefined;
  const list = POSES + 4 * ROW * joints;
  const memory = new WebAssembly.Memory({ initial: Math.ceil((list + 8 * ENTRY * joints) / PAGE) });
  const { exports } = new WebAssembly.Instance(module, { env: { memory } });
  return {
    code: exports as unknown as TurnKernelCode,
    joints,
    alphas: new Float64Array(memory.buffer, ALPHAS, BLOCK),
    rotations: new Float64Array(memory.buffer, POSES, 4 * BLOCK * joints),
    list: new Float64Array(memory.buffer, list, ENTRY * joints),
    listPlaces: new Int32Array(memory.buffer, list, 2 * ENTRY * joints),
  };
}

/**
 * Puts joint `j` on the list as its `entry`-th, and returns where in it its angles are to be written: three rows of
 * radians for its first, middle and last axis.
 */
export function listTurn(
  { listPlaces, list }: TurnKernel,
  entry: number,
  j: number,
  order: EulerOrder,
): number {
  const axes = EULER_AXES[order];
  const at = ENTRY * entry;
  listPlaces[2 * at] = 32 * j;
  listPlaces[2 * at + 1] = axes[0];
  listPlaces[2 * at + 2] = axes[1];
  listPlaces[2 * at + 3] = axes[2];
  list[at + 2] = axes[3];
  return at + 4;
}

/** Blends the first `count` joints of the list, by α of each frame. */
export function blendList({ code, joints }: TurnKernel, count: number, additive: boolean): void {
  if (count > 0) code.blendTurns(POSES + 4 * ROW * joints, count, POSES, 32 * joints, additive ? 1 : 0);
}
