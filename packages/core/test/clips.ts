import type { Animation, Document, Node } from '@gltf-transform/core';

const TYPES = { rotation: 'VEC4', translation: 'VEC3', weights: 'SCALAR' } as const;

/** Gives nodes of a document motion in one of its animations, written by a library that is not ours. */
export const animating =
  (made: Document, clip: Animation) =>
  (
    node: Node,
    path: keyof typeof TYPES,
    how: 'LINEAR' | 'STEP' | 'CUBICSPLINE',
    times: readonly number[],
    values: readonly number[],
  ): void => {
    const accessor = (type: 'SCALAR' | 'VEC3' | 'VEC4', array: readonly number[]) =>
      made
        .createAccessor()
        .setType(type)
        .setArray(Float32Array.from(array))
        .setBuffer(made.getRoot().listBuffers()[0]);
    const sampler = made
      .createAnimationSampler()
      .setInterpolation(how)
      .setInput(accessor('SCALAR', times))
      .setOutput(accessor(TYPES[path], values));
    clip
      .addSampler(sampler)
      .addChannel(made.createAnimationChannel().setTargetNode(node).setTargetPath(path).setSampler(sampler));
  };
