/** A flat buffer of numbers. Functions take one with an offset, so that a whole pose lives in one buffer. */
export type Numbers = Float64Array | number[];
