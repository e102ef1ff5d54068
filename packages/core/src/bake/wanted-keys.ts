import type { Ease } from '../curve/curve.js';
import type { WantedKey } from '../keys/track-fit.js';
import { contactsOf, isKeyed, takeOf } from '../layer/content.js';
import { isLive } from '../layer/group.js';
import { type Layer, layerCurves } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { keyMarks, ownTime } from '../layer/time.js';
import { compiledLimbs, limbThatEnds } from '../rig/compiled-limbs.js';
import { memberIndex } from '../rig/members.js';
import { jointIndex, sceneName } from '../rig/rig.js';
import type { Take } from '../take/take.js';
import type { BakePlan } from './plan.js';

/** Parts of a sample by which a frame may miss it to be on it. */
const ON = 0.01;

/** Keys of a curve are wanted again where there is one to so many samples at most. */
const SPARSE = 6;

/**
 * The samples of a plan at which keys are wanted: those on which layers `from` to `to` have keys that may have been set by hand, for the joints that they
 * key, and the ends of contacts, for the limbs that stand, where a motion may turn sharply. Layers that do not play count
 * for nothing.
 */
export function wantedKeys(
  project: Project,
  { first, step, count }: BakePlan,
  from = 0,
  to = project.layers.length - 1,
): WantedKey[] {
  const { rig, layers, groups } = project;
  const wanted: WantedKey[] = [];
  const want = (frame: number, joints: ReadonlySet<number>, sharp: boolean) => {
    const sample = (frame - first) / step;
    const near = Math.round(sample);
    if (Math.abs(sample - near) <= ON && near >= 0 && near < count)
      wanted.push({ sample: near, joints, sharp });
  };
  const last = first + step * (count - 1);
  for (let index = from; index <= to; index++) {
    const layer = layers[index];
    if (!isLive(layers, groups, index)) continue;
    const take = project.takes.find(({ id }) => id === takeOf(layer)?.take);
    const time = ownTime(layer, take, project.fps);
    const shown = (owns: readonly number[]) => keyMarks(time, owns, first, last);
    for (const { joint, curve } of layerCurves(layer)) {
      // Denser keys were not set by hand, and are not missed.
      if (curve.keys.length > count / SPARSE) continue;
      const joints = new Set([memberIndex(rig, joint)]);
      const sharp = new Set(curve.keys.flatMap(({ ease, frame }) => (SHARP.has(ease) ? [frame] : [])));
      for (const { own, frame } of shown(curve.keys.map((key) => key.frame)))
        want(frame, joints, sharp.has(own));
    }
    for (const { limb, ends } of standing(project, layer, take))
      for (const { frame } of shown(ends)) want(frame, limb, true);
  }
  return wanted;
}

/** Eases that end in a corner. */
const SHARP: ReadonlySet<Ease> = new Set(['hold', 'linear']);

/** The limbs that a layer says to stand, by the contacts that it holds, those of its take or what is said of its keys, and the layer's own frames at which they begin or end to. */
function standing(
  project: Project,
  layer: Layer,
  take: Take | undefined,
): { limb: ReadonlySet<number>; ends: readonly number[] }[] {
  const limbs = compiledLimbs(project.rig, project.limbs);
  const held = Object.entries(contactsOf(layer)?.limbs ?? {}).map(([name, { spans }]) => ({
    limb: new Set(limbs.find((limb) => limb.name === name)?.chain),
    ends: spans.flat(),
  }));
  const onCharacter = (joint: string) => sceneName(takeOf(layer)?.character ?? '', joint);
  const recorded = (take?.contacts?.spans ?? []).map(({ joint, from, to }) => ({
    limb: new Set(limbThatEnds(limbs, jointIndex(project.rig, onCharacter(joint)))?.chain),
    ends: [from, to].map((sample) => sample * take!.interval * project.fps),
  }));
  const said = Object.entries((isKeyed(layer) && layer.stands) || {}).map(([name, spans]) => ({
    limb: new Set(limbs.find((limb) => limb.name === name)?.chain),
    ends: spans.flat(),
  }));
  return layer.mode === 'override' ? [...held, ...recorded, ...said] : [];
}
