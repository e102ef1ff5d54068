import { globalMatrices, restPose } from '../rig/pose.js';
import { jointIndex } from '../rig/rig.js';
import { rootOf } from '../rig/topology.js';
import type { Contacts } from '../take/contacts.js';
import type { Motion } from '../take/reshape.js';
import { readSample } from '../take/sample.js';

/**
 * Matches the distance travelled to the feet: from sample to sample the root is moved along the floor by as much as
 * the feet that stand would slide, on average, so that they stay where they came down. While no foot stands the root
 * goes on as it went. Heights stay.
 */
export function travelByFeet(motion: Motion, contacts: Contacts): Motion {
  const { rig, count } = motion;
  const entry = motion.translations.joints.indexOf(rootOf(rig));
  if (entry < 0) return motion;
  const feet = contacts.spans
    .map((span) => ({ ...span, foot: jointIndex(rig, span.joint) }))
    .filter(({ foot }) => foot >= 0);
  const stride = 3 * motion.translations.joints.length;
  const values = motion.translations.values.slice();
  const pose = restPose(rig);
  const before = new Float64Array(16 * rig.joints.length);
  const now = new Float64Array(16 * rig.joints.length);
  const shift = [0, 0, 0];
  for (let s = 0; s < count; s++) {
    readSample(motion, s, pose);
    globalMatrices(rig, pose, now);
    const standing = feet.filter(({ from, to }) => from < s && s <= to);
    for (const axis of [0, 2]) {
      const slid = standing.reduce(
        (sum, { foot }) => sum + now[16 * foot + 12 + axis] - before[16 * foot + 12 + axis],
        0,
      );
      if (standing.length > 0) shift[axis] -= slid / standing.length;
      values[s * stride + 3 * entry + axis] += shift[axis];
    }
    before.set(now);
  }
  return { ...motion, translations: { ...motion.translations, values } };
}
