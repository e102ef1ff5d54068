import { wordsOf } from './names.js';

/** Regions of a face, from above. */
export const FACE_REGIONS = ['brows', 'eyes', 'nose', 'cheeks', 'mouth', 'other'] as const;
export type FaceRegion = (typeof FACE_REGIONS)[number];

/** Words of names of morph targets, by region (common practice); of a name that has several, the first region counts. */
const WORDS: readonly (readonly [FaceRegion, RegExp])[] = [
  ['brows', /^(brow|brows|eyebrow|eyebrows|forehead)$/],
  ['eyes', /^(eye|eyes|blink|lid|lids|eyelid|eyelids|wink|squint|look|pupil|pupils|lash|lashes)$/],
  ['nose', /^(nose|nostril|nostrils|sneer|sneeze)$/],
  ['cheeks', /^(cheek|cheeks|puff)$/],
  [
    'mouth',
    /^(mouth|lip|lips|jaw|smile|frown|tongue|teeth|viseme|chin|grin|pucker|funnel|dimple|vowel|kiss|bite|aa|ee|ih|oh|ou)$/,
  ],
];

/** Where in a face a channel of a name acts, as far as the name says. */
export function faceRegion(name: string): FaceRegion {
  const words = wordsOf(name);
  return WORDS.find(([, pattern]) => words.some((word) => pattern.test(word)))?.[0] ?? 'other';
}
