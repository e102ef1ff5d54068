/** What is animated of a node. */
export interface NodePath {
  readonly node: number;
  readonly path: 'translation' | 'rotation' | 'scale';
}

/**
 * Keys of one node, one an entry of `values`, at times of their own: cubic splines with three entries a key, the slope that
 * leads into it, its value, the slope that leads out of it. A single key has its value alone.
 */
export interface NodeKeys extends NodePath {
  readonly values: Float32Array<ArrayBuffer>;
  readonly times: Float32Array<ArrayBuffer>;
}

/** Numbers of one key. */
export const sizeOfPath = ({ path }: NodePath): 3 | 4 => (path === 'rotation' ? 4 : 3);

export const bytesOfFloats = ({
  buffer,
  byteOffset,
  byteLength,
}: Float32Array<ArrayBuffer>): Uint8Array<ArrayBuffer> => new Uint8Array(buffer, byteOffset, byteLength);
