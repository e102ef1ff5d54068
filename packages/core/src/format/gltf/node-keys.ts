/** Keys of one node, one an entry of `values`; with `times` at those and as cubic splines, otherwise at every sample and straight. */
export interface NodeKeys {
  readonly node: number;
  readonly path: 'translation' | 'rotation' | 'scale';
  /** Of a spline three entries a key: the slope that leads into it, its value, the slope that leads out of it. */
  readonly values: Float32Array;
  readonly times?: Float32Array;
}
