import { facesOf } from '../rig/members.js';
import { sideOf, withoutSide, wordsOf } from '../rig/names.js';
import type { Rig } from '../rig/rig.js';
import type { Mapping } from '../take/making.js';
import { type Motion, motionOn } from '../take/reshape.js';
import type { Take } from '../take/take.js';

/** In a mapping of face channels: it follows none. */
export const NO_FACE = '';

/** A name as its words, in whatever way they are put together, with its side said in one way. */
const plainly = (name: string): string => {
  const words = wordsOf(name);
  return [...withoutSide(words), sideOf(words)].join(' ');
};

/** The channel of a take that a face channel of a character follows: as it is said, else the one of its name; undefined for none. */
export function followedFace(
  name: string,
  own: ReadonlySet<string>,
  faces: Mapping = {},
): string | undefined {
  const said = Object.hasOwn(faces, name) ? faces[name] : name;
  return said !== NO_FACE && own.has(said) ? said : undefined;
}

/** For face channels of a character that a take has under another name the one whose name has the same words. */
export function matchFaces(rig: Rig, { faceCurves = [] }: Pick<Take, 'faceCurves'>): Mapping {
  const names = new Set(faceCurves.map(({ channel }) => channel));
  const own = new Set(facesOf(rig).map(({ name }) => name));
  const byWords = new Map([...names].filter((name) => !own.has(name)).map((name) => [plainly(name), name]));
  return Object.fromEntries(
    [...own].flatMap((name) => {
      const other = names.has(name) ? undefined : byWords.get(plainly(name));
      return other === undefined ? [] : [[name, other]];
    }),
  );
}

/** Names of face channels that only a take has, and those that only the character has. */
export interface StrangeFaces {
  readonly ofTake: readonly string[];
  readonly ofRig: readonly string[];
}

/** The face channels that a take and a character do not share; none where one of them has no face at all. */
export function strangeFaces(rig: Rig, { faceCurves = [] }: Pick<Take, 'faceCurves'>): StrangeFaces {
  const names = new Set(faceCurves.map(({ channel }) => channel));
  const own = new Set(facesOf(rig).map(({ name }) => name));
  return {
    ofTake: [...names].filter((name) => !own.has(name)),
    ofRig: names.size === 0 ? [] : [...own].filter((name) => !names.has(name)),
  };
}

/** A motion whose face channels are those of a character, each as the one that it follows. */
export function withFacesOf(motion: Motion, rig: Rig, faces: Mapping): Motion {
  const { faceCurves = [] } = motion;
  const byName = new Map(faceCurves.map((curve) => [curve.channel, curve]));
  const own = new Set(byName.keys());
  const curves = facesOf(rig).flatMap(({ name }) => {
    const followed = followedFace(name, own, faces);
    return followed === undefined ? [] : [{ ...byName.get(followed)!, channel: name }];
  });
  return motionOn({ joints: motion.rig.joints, faces: facesOf(rig) }, motion, curves);
}
