import { type Side, withoutSide } from '../names.js';

/** What a joint is to a body by its name: `head`, `Arm`, `ForeLeg`, `Wing`, ...; '' where the name does not tell. */
export type Kind = string;

/** Kinds that stand on either side of a body, or several times in it; each with the kind that ends it, if there is one. */
export const LIMB_KINDS: readonly (readonly [kind: Kind, end?: Kind])[] = [
  ['Arm', 'Hand'],
  ['Leg', 'Foot'],
  ['ForeLeg', 'ForeFoot'],
  ['MidLeg', 'MidFoot'],
  ['HindLeg', 'HindFoot'],
  ['Wing'],
  ['Fin'],
  ['Antenna'],
  ['Tentacle'],
  ['Tail'],
];

/** Words of joint names by the conventions of H-Anim (ISO/IEC 19774), VRM 1.0, common captures, and of anatomy. */
const WORDS: readonly [kind: Kind, pattern: RegExp][] = [
  ['Tail', /^(tail|caudal)/],
  ['Wing', /^(wing|feather|primar|secondar|alula|pinion|patagi)/],
  ['Fin', /fins?$|^(fluke|flipper)/],
  ['Tentacle', /^(tentac|tendril)/],
  ['Antenna', /^(antenna|feeler)/],
  [
    'Hand',
    /^(hand|wrist|finger|fingers|thumb|index|middle|ring|pinky|little|palm|carpal|metacarpal|pincer|chela$)/,
  ],
  ['Foot', /^(foot|ankle|toe|toes|heel|ball|paw|hoof|talo|metatars|tarsal|tarsus|talon)/],
  ['Arm', /^(arm|forearm|upperarm|lowerarm|uparm|elbow|shoulder|clavicle|collar|humerus|scapula|sternoclav)/],
  [
    'Leg',
    /^(leg|upleg|upperleg|lowerleg|thigh|knee|shin|calf|hipjoint|coxa|trochanter|femur|patella|tibia|stifle|hock)/,
  ],
  [
    'face',
    /^(face|jaw|eye|lid|brow|nose|nostril|muzzle|snout|tongue|cheek|mouth|lip|teeth|beak|mandible|chin)/,
  ],
  ['head', /^(head|skull|ear|ears|hat|hair)/],
  ['neck', /^neck/],
  ['hips', /^(hips|hip|pelvis|root|humanoid)$/],
  [
    'torso',
    /^(spine|chest|torso|back|lowerback|upperback|abdomen|belly|waist|rib|thorax|cephalothorax|carapace|mantle|upperchest|vt|vl|vc)/,
  ],
];

const FRONT = /^(fore|front)(?:up|upper|low|lower)?(leg|shoulder|elbow|foot|paw|toe|knee|ankle|hoof|shin)/;
const MIDDLE = /^(mid|middle)(?:up|upper|low|lower)?(leg|foot|paw|toe|knee|ankle|hoof|shin)/;
const HIND = /^(hind|rear|back)(?:up|upper|low|lower)?(leg|foot|paw|toe|knee|thigh|hock|ankle|hoof|shin)/;

const isOf = (kind: Kind, word: string): boolean =>
  WORDS.some(([one, pattern]) => one === kind && pattern.test(word));

/** Kind of a joint by the words of its name and its side. */
export function kindOf(words: readonly string[], side: Side): Kind {
  const rest = withoutSide(words).filter((word) => !/^\d+$/.test(word));
  const whole = rest.join('');
  const which = FRONT.test(whole) ? 'Fore' : HIND.test(whole) ? 'Hind' : MIDDLE.test(whole) ? 'Mid' : '';
  if (which) return which + (/foot|paw|toe|hoof|ankle/.test(whole) ? 'Foot' : 'Leg');
  for (const candidate of [whole, ...rest]) {
    for (const [kind, pattern] of WORDS) {
      if (!pattern.test(candidate)) continue;
      if (kind === 'hips' && side && candidate === 'hip') return 'Leg';
      // `leg 3 tarsus` is of the foot.
      const end = LIMB_KINDS.find(([top]) => top === kind)?.[1];
      return end && rest.some((word) => isOf(end, word)) ? end : kind;
    }
  }
  return '';
}

/** The kind at the top of a limb that a kind belongs to: of a hand the arm; undefined for kinds that are no limbs. */
export const limbKindOf = (kind: Kind): Kind | undefined =>
  LIMB_KINDS.find(([top, end]) => kind === top || kind === end)?.[0];
