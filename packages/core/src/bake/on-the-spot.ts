import type { Rig } from '../rig/rig.js';
import type { Samples } from '../take/take.js';

/**
 * A motion without its travel: the root stays above the place on the floor at which it began, and keeps its height. Props stay
 * as they are.
 */
export function onTheSpot(rig: Rig, samples: Samples): Samples {
  const root = rig.joints.findIndex(({ parent }) => parent < 0);
  const { joints } = samples.translations;
  const entry = joints.indexOf(root);
  if (entry < 0) return samples;
  const values = samples.translations.values.slice();
  for (let s = 0; s < samples.count; s++)
    for (const axis of [0, 2]) values[3 * (s * joints.length + entry) + axis] = values[3 * entry + axis];
  return { ...samples, translations: { ...samples.translations, values } };
}
