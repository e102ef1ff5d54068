/**
 * @evlay/core: all computation of Evlay. Knows no page, no picture and no worker.
 *
 * Here is what most files need: the data, and how it is evaluated. The rest is in the subpaths `@evlay/core/math`,
 * `/rig`, `/curve`, `/take`, `/match`, `/make`, `/check`, `/evaluate`, `/solve`, `/bake`, `/edit`, `/format` and `/job`.
 */
export { type Curve, isCurve, type Key, keyAt, newKey, type Scalar } from './curve/curve.js';
export { compileStack } from './evaluate/compile.js';
export type { CompiledLayer, CompiledStack } from './evaluate/compiled.js';
export { evaluateStack } from './evaluate/evaluate.js';
export { newId, withIds } from './id.js';
export { finished, type Steps } from './job/steps.js';
export * from './layer/index.js';
export { emptyRecord, entryOf } from './record.js';
export { type Pose, restPose } from './rig/pose.js';
export type { Rig } from './rig/rig.js';
export type { Take } from './take/take.js';
