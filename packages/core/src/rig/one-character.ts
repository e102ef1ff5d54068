import { facesOf } from './members.js';
import type { Pose } from './pose.js';
import { characterOf, type Rig } from './rig.js';
import { sharingTopology, topologyOf } from './topology.js';

/**
 * A character as it is by itself: its own joints and face channels by their own names, in its own space, and the props behind them. What
 * knows of one character only, as a saved pose does or a file that is baked, looks at a scene this way.
 */

const rigs = new WeakMap<Rig, (Rig | undefined)[]>();

/** The rig of a scene with one of its characters and the props alone. */
export function rigOfCharacter(rig: Rig, character: number): Rig {
  const { spans } = topologyOf(rig);
  if (spans.length === 1) return rig;
  const known = rigs.get(rig) ?? [];
  rigs.set(rig, known);
  let found = known[character];
  if (!found) {
    const own = characterOf(rig, character);
    const props = rig.joints.slice(spans[spans.length - 1].to);
    const faces = facesOf(own);
    found = {
      joints: [...own.joints, ...props],
      ...(faces.length > 0 && { faces }),
      characters: [{ name: '', rig: own }],
    };
    if (known[0]) found = sharingTopology(found, known[0]);
    known[character] = found;
  }
  return found;
}

/** For each member of the rig of a character its index in that of the scene: joints by indices of joints, faces by those of face channels. */
export function placesOfCharacter(rig: Rig, character: number): { joints: number[]; faces: number[] } {
  const { spans } = topologyOf(rig);
  const { from, to, faceFrom, faceTo } = spans[character];
  const indices = (first: number, end: number) => Array.from({ length: end - first }, (_, k) => first + k);
  return {
    joints: [...indices(from, to), ...indices(spans[spans.length - 1].to, rig.joints.length)],
    faces: indices(faceFrom, faceTo),
  };
}

/** For each member of the rig of a character, joints and then face channels, its index among the members of the scene. */
export function membersOfCharacter(rig: Rig, character: number): number[] {
  const { joints, faces } = placesOfCharacter(rig, character);
  return [...joints, ...faces.map((face) => rig.joints.length + face)];
}

/** The pose of a character and the props, out of that of a scene. It is a copy. */
export function poseOfCharacter(rig: Rig, character: number, pose: Pose): Pose {
  const { joints, faces } = placesOfCharacter(rig, character);
  const some = (size: number, values: Float64Array, of: readonly number[]) => {
    const out = new Float64Array(size * of.length);
    for (const [k, j] of of.entries()) out.set(values.subarray(size * j, size * (j + 1)), size * k);
    return out;
  };
  return {
    translations: some(3, pose.translations, joints),
    rotations: some(4, pose.rotations, joints),
    scales: some(3, pose.scales, joints),
    faces: some(1, pose.faces, faces),
  };
}
