/** What is animated of a node. */
export interface NodePath {
  readonly node: number;
  readonly path: 'translation' | 'rotation' | 'scale' | 'weights';
  /** How many morph targets have a weight. */
  readonly targets?: number;
}

/**
 * Keys of one node at times of their own: of cubic splines three entries a key, the slope that leads into it, its value, the
 * slope that leads out of it; of those that are joined straight the value alone.
 */
export interface NodeKeys extends NodePath {
  readonly times: Float32Array<ArrayBuffer>;
  readonly curved: boolean;
  /** The numbers of all keys, made when they are written. */
  readonly values: () => Float32Array<ArrayBuffer>;
}

/** Numbers of one key. */
export const sizeOfPath = ({ path, targets = 0 }: NodePath): number =>
  path === 'weights' ? targets : path === 'rotation' ? 4 : 3;

/** Numbers of an element of its accessor: weights are plain numbers, a row of them a key (glTF 2.0, section 3.11). */
export const elementOfPath = (output: NodePath): number =>
  output.path === 'weights' ? 1 : sizeOfPath(output);

export const bytesOfFloats = ({
  buffer,
  byteOffset,
  byteLength,
}: Float32Array<ArrayBuffer>): Uint8Array<ArrayBuffer> => new Uint8Array(buffer, byteOffset, byteLength);
