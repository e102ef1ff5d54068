/**
 * Where evaluation stands: the project frame, and of the layer at hand its weight with fades, its own frame and how
 * often its cycle has come round. They lie in one buffer, since numbers that go from function to function would each
 * be put in a box on the heap.
 */
export type Moment = Float64Array;

export const FRAME = 0;
export const WEIGHT = 1;
export const OWN = 2;
export const ROUND = 3;

export const newMoment = (): Moment => new Float64Array(4);
