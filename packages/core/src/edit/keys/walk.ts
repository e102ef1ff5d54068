import { keysOfBlock } from '../../keys/keys-block.js';
import { layerChannels } from '../../keys/layer-keys.js';
import { type TrackName, tracksOf } from '../../keys/tracks.js';
import type { LayerWalk } from '../../layer/applied-walk.js';
import { type Channels, channelsOf, takesKeys, withChannels } from '../../layer/content.js';
import { freeColor, freeName, insertLayer } from '../../layer/insert.js';
import { newLayer } from '../../layer/layer.js';
import { baseOf, layerIndex, type Project } from '../../layer/project.js';
import { cycleSeconds, usualWalk } from '../../motion/gait.js';
import { planWalk, walkPose } from '../../motion/walk-pose.js';
import { type Walker, walkerOf } from '../../motion/walker.js';
import { compiledLimbs } from '../../rig/compiled-limbs.js';
import { restPose } from '../../rig/pose.js';
import { characterOf } from '../../rig/rig.js';
import type { Motion } from '../../take/reshape.js';
import { everyMember } from '../../take/sample.js';
import { emptyTrack } from '../../take/take.js';
import { changeLayer } from '../change.js';
import type { Added } from '../stack/layers.js';
import { apply } from './applied.js';

/** Samples of a cycle to which its keys are fitted. */
const SAMPLES = 64;
/** How far keys may be off the walk, in metres and degrees: a foot that stands slides by less than a millimetre. */
const LIMITS = { length: 0.0003, angle: 0.5 };

const walkerIn = ({ rig, limbs }: Pick<Project, 'rig' | 'limbs'>): Walker | undefined =>
  walkerOf(characterOf(rig), compiledLimbs(rig, limbs));

/** Why a character cannot walk by rule, in words for people; undefined where it can. */
export const walkRefusal = (project: Project): string | undefined =>
  walkerIn(project)
    ? undefined
    : 'The character has neither two legs nor four that bend: say which joints are its legs, as limbs';

/** How the character of a project walks at ease, and metres from the floor to where its legs begin; undefined where it cannot. */
export function walkAtEase(project: Project): { readonly walk: LayerWalk; readonly leg: number } | undefined {
  const walker = walkerIn(project);
  if (!walker) return undefined;
  const leg = walker.height * project.metresPerUnit;
  return { walk: { ...usualWalk(leg, walker.legs.length === 4 ? 4 : 2), travels: true }, leg };
}

/**
 * Adds an override layer that walks by rule above a layer; where the base holds nothing yet, the base walks. Undefined
 * where the character cannot.
 */
export function addWalk(project: Project, above: string): Added | undefined {
  const ease = walkAtEase(project);
  if (!ease) return undefined;
  const base = baseOf(project);
  if (base.content.kind === 'nothing') return { project: putWalk(project, base.id, ease.walk), id: base.id };
  const layer = newLayer(freeName(project, 'Walk', true), 'override', { color: freeColor(project) });
  const added = insertLayer(project, layer, layerIndex(project, above) + 1);
  return { project: putWalk(added, layer.id, ease.walk), id: layer.id };
}

/**
 * Writes a walk as keys of one cycle of a layer that loops over it, in place of the keys that its joints have there. The
 * numbers stay with the layer, so that they can be changed.
 */
export function putWalk(project: Project, id: string, walk: LayerWalk): Project {
  const walker = walkerIn(project);
  if (!walker) return project;
  const numbers = Object.fromEntries(Object.entries(walk).map(([name, value]) => [name, Number(value)]));
  return apply(project, id, { kind: 'walk', joints: [], numbers }, (plain) =>
    changeLayer(plain, id, ({ stands: _, ...layer }) => {
      if (!takesKeys(layer)) return layer;
      const length = cycleSeconds(walk) * plain.fps;
      const channels = { ...channelsOf(layer), ...walkChannels(walker, walk, plain, length) };
      return {
        ...withChannels(layer, channels),
        time: {
          offset: layer.time?.offset ?? 0,
          speed: layer.time?.speed ?? 1,
          loop: walk.travels ? 'travel' : 'repeat',
          cycle: [0, length],
        },
      };
    }),
  );
}

/** The curves of a cycle that is so many frames long. */
function walkChannels(walker: Walker, walk: LayerWalk, { metresPerUnit }: Project, length: number): Channels {
  const { rig, root, forward } = walker;
  const plan = planWalk(walker, walk, metresPerUnit);
  const count = SAMPLES + 1;
  const empty: Motion = {
    rig,
    count,
    interval: 1 / SAMPLES,
    translations: emptyTrack(3),
    rotations: emptyTrack(4),
    scales: emptyTrack(3),
    faces: emptyTrack(1),
  };
  const samples = everyMember(empty);
  const n = rig.joints.length;
  const pose = restPose(rig);
  for (let k = 0; k < count; k++) {
    walkPose(plan, k / SAMPLES, pose);
    if (!walk.travels)
      for (let axis = 0; axis < 3; axis++)
        pose.translations[3 * root + axis] -= ((plan.stride * k) / SAMPLES) * forward[axis];
    samples.translations.values.set(pose.translations, 3 * n * k);
    samples.rotations.values.set(pose.rotations, 4 * n * k);
  }
  const tracks = tracksOf(rig, samples, 'euler', tracksThatWalk(walker));
  const limits = { length: LIMITS.length / metresPerUnit, angle: LIMITS.angle };
  const block = { rig, samples, tracks, limits, wanted: [], straight: false, watched: false };
  const { splines, error } = keysOfBlock(block);
  const keys = {
    tracks: tracks.map((track, t) => ({ member: track.member, kind: track.kind, spline: splines[t] })),
    space: 'euler' as const,
    count,
    interval: 1 / SAMPLES,
    before: 0,
    after: 0,
    error,
  };
  return layerChannels(rig, keys, 0, length / SAMPLES);
}

/** What a walk moves and turns: hips and root, trunk and head, legs and arms. */
function tracksThatWalk({ rig, root, hips, spine, neck, legs, arms }: Walker): TrackName[] {
  const chains = [...legs, ...arms].flatMap(({ limb }) => limb.chain);
  const hands = arms.map(({ limb }) => limb.chain[limb.chain.length - 1]);
  const toes = legs.flatMap((leg) => leg.toes ?? []);
  const turned = new Set([hips, ...spine, ...neck, ...chains, ...toes]);
  for (const hand of hands) turned.delete(hand);
  const moved = new Set([root, hips]);
  return rig.joints.flatMap((_, member): TrackName[] => [
    ...(moved.has(member) ? [{ member, kind: 'translations' as const }] : []),
    ...(turned.has(member) ? [{ member, kind: 'rotations' as const }] : []),
  ]);
}
