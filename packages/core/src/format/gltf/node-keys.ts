/** What is animated of a node. */
export interface NodePath {
  readonly node: number;
  readonly path: 'translation' | 'rotation' | 'scale';
}

/**
 * Keys of one node at times of their own: of cubic splines three entries a key, the slope that leads into it, its value, the
 * slope that leads out of it; of those that are joined straight the value alone.
 */
export interface NodeKeys extends NodePath {
  readonly values: Float32Array<ArrayBuffer>;
  readonly times: Float32Array<ArrayBuffer>;
  readonly curved: boolean;
}

/** Numbers of one key. */
export const sizeOfPath = ({ path }: NodePath): 3 | 4 => (path === 'rotation' ? 4 : 3);

export const bytesOfFloats = ({
  buffer,
  byteOffset,
  byteLength,
}: Float32Array<ArrayBuffer>): Uint8Array<ArrayBuffer> => new Uint8Array(buffer, byteOffset, byteLength);
