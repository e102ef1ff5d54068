import { globalMatrices, restPose } from './pose.js';
import type { Rig } from './rig.js';
import { sharingTopology } from './topology.js';

const unframed = new WeakMap<Rig, Rig>();

/** The rig with every character in a space of its own, as at rest: what is known of a body does not hang on where it stands. */
export function withoutFrames(rig: Rig): Rig {
  if (!rig.characters?.some(({ frame }) => frame)) return rig;
  let bare = unframed.get(rig);
  if (!bare) {
    bare = sharingTopology(
      { ...rig, characters: rig.characters.map(({ frame: _, ...character }) => character) },
      rig,
    );
    unframed.set(rig, bare);
  }
  return bare;
}

/** Places of the joints at rest, 3 numbers a joint, each in the space of its own character. */
export function positionsAtRest(scene: Rig): Float64Array {
  const rig = withoutFrames(scene);
  const n = rig.joints.length;
  const matrices = globalMatrices(rig, restPose(rig), new Float64Array(16 * n));
  const out = new Float64Array(3 * n);
  for (let j = 0; j < n; j++) out.set(matrices.subarray(16 * j + 12, 16 * j + 15), 3 * j);
  return out;
}
