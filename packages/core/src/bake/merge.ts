import { BakeError } from '../bake-error.js';
import { compileStack } from '../evaluate/compile.js';
import { applyLayers } from '../evaluate/evaluate.js';
import type { Steps } from '../job/steps.js';
import { type KeyLimits, USUAL_NUMBER } from '../keys/fit-tracks.js';
import { layerChannels } from '../keys/layer-keys.js';
import type { KeysWanted, MotionKeys } from '../keys/motion-keys.js';
import {
  changesOf,
  neededTracks,
  numbersOf,
  restOf,
  TRACK_KINDS,
  type TrackKind,
  type TrackName,
  tracksOfRig,
} from '../keys/tracks.js';
import { motionError, placesOf } from '../keys/whole-pose.js';
import { type Content, contactsOf, keyed, targetsOf } from '../layer/content.js';
import { groupOf, liveLayers } from '../layer/group.js';
import { type Layer, newLayer } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { multiply } from '../math/quaternion.js';
import { entryOf } from '../record.js';
import { facesOf } from '../rig/members.js';
import { membersOfCharacter, rigOfCharacter } from '../rig/one-character.js';
import { copyPose, restPose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import { ownerOfMember, propsFrom } from '../rig/topology.js';
import type { Motion } from '../take/reshape.js';
import type { Samples, Track } from '../take/take.js';
import { bakeBlock, checkSamples } from './bake.js';
import { samplesOfCharacter } from './of-character.js';
import { type BakePlan, newSamples, planBake } from './plan.js';
import { wantedKeys } from './wanted-keys.js';

/** What a run of layers becomes: the base; one additive layer; or one override layer, under which nothing shows through. */
export type MergeKind = 'base' | 'additive' | 'override';

/** A run of layers that is merged, by their places in the stack, both ends included. */
export interface MergePlan {
  readonly from: number;
  readonly to: number;
  readonly kind: MergeKind;
  /** Layers of the run that play, from below. */
  readonly merged: readonly Layer[];
  /** Layers of the run that do not play, and go without leaving anything. */
  readonly dropped: readonly Layer[];
  /** Names of variants that say something of layers of the run, and can do so no more. */
  readonly variants: readonly string[];
  /** Whether what comes out is soloed, since layers of the run were. */
  readonly solo: boolean;
  /** The group that what comes out is in. */
  readonly group: string | undefined;
  /** The project in which the run plays as it is to be looked at: without solo, what is dropped muted. */
  readonly project: Project;
}

/**
 * Plans to merge layers `from` to `to` of a project (`docs/evaluation.md`, *Merge*); or says in words for people why they
 * cannot be. What plays of them is what plays now; solo of other layers does not count.
 */
export function planMerge(project: Project, from: number, to: number): MergePlan | string {
  const { layers, groups } = project;
  const run = layers.slice(from, to + 1);
  if (run.length === 0) return 'There are no layers to merge';
  const locked = run.find((layer) => layer.locked);
  if (locked) return `${locked.name} is locked`;
  const soloed = (layer: Layer) => layer.solo || Boolean(groupOf(groups, layer)?.solo);
  const unsoloed = {
    groups: groups.map((group) => ({ ...group, solo: false })),
    layers: layers.map((layer) => ({ ...layer, solo: false })),
  };
  const unmuted = liveLayers(unsoloed.layers, unsoloed.groups);
  const solo = run.some((layer, k) => soloed(layer) && unmuted[from + k]);
  // Where the run is soloed, what does not play beside it counts for nothing either.
  const live = solo ? liveLayers(layers, groups) : unmuted;
  const plays = run.map((_, k) => live[from + k]);
  const elsewhere = layers.find((layer, k) => (k < from || k > to) && soloed(layer) && unmuted[k]);
  if (elsewhere && from === 0 && !solo && plays.slice(1).some(Boolean))
    return `${elsewhere.name} is soloed, so the layers above the base do not play: take solo off first`;
  const merged = run.filter((_, k) => plays[k]);
  if (merged.length === 0) return 'None of these layers plays: they are muted';
  const group = groupAround(project, from, to);
  if (typeof group === 'object') return group.refused;
  const turned = turnedAsWithin({ ...project, ...unsoloed }, from, to);
  if (turned)
    return `${turned} turns feet back as in a layer that would be merged into another: merge it too, or let its feet roll as in a layer that stays`;
  const adds = merged.every(
    (layer) =>
      layer.mode === 'additive' &&
      targetsOf(layer).length === 0 &&
      (layer.axes === 'joint' || layer.content.kind !== 'curves'),
  );
  return {
    from,
    to,
    kind: from === 0 ? 'base' : adds ? 'additive' : 'override',
    merged,
    dropped: run.filter((_, k) => !plays[k]),
    variants: project.variants
      .filter((variant) => run.some(({ id }) => entryOf(variant.layers, id) !== undefined))
      .map(({ name }) => name),
    solo,
    group,
    project: {
      ...project,
      ...unsoloed,
      layers: unsoloed.layers.map((layer, k) =>
        live[k] || (!solo && (k < from || k > to)) ? layer : { ...layer, muted: true },
      ),
    },
  };
}

/**
 * The name of a layer with contacts above a run whose ends turn back as in a layer of it, though not the topmost, so that
 * they would be turned otherwise by what is merged; undefined where there is none. What is merged may become the lowest that
 * moves an end, and then counts for those that name no layer.
 */
function turnedAsWithin(project: Project, from: number, to: number): string | undefined {
  const { layers } = project;
  const turns = (layer: Layer, k: number) => k > to && contactsOf(layer)?.turn !== undefined;
  if (!layers.some(turns)) return undefined;
  const { contactCaches, live } = compileStack(project);
  return layers.find((layer, k) => {
    if (!turns(layer, k) || !live[k]) return false;
    const named = contactsOf(layer)!.like !== undefined;
    return contactCaches[k]!.turns.like.some(
      (like) => (like >= from && like < to) || (!named && (like < from ? like < 0 : like > to)),
    );
  })?.name;
}

/** The group that lies around a run and stays; undefined where none does. */
function groupAround(
  { layers, groups }: Project,
  from: number,
  to: number,
): string | undefined | { refused: string } {
  const { group } = layers[from];
  if (group === undefined || layers[to].group !== group) return undefined;
  const inside = layers.flatMap((layer, k) => (layer.group === group ? [k] : []));
  if (inside[0] >= from && inside[inside.length - 1] <= to) return undefined;
  const around = groups.find(({ id }) => id === group)!;
  return around.weight === 1
    ? group
    : {
        refused: `The group ${around.name} weighs its layers: merge all of it, or set its weight to 1 first`,
      };
}

/** A run as samples: what is seen below it and with it, and what of it moves. */
export interface RunSamples {
  readonly plan: BakePlan;
  readonly below: Samples;
  readonly after: Samples;
  /** What the result holds: for a base what departs from rest, else what the run has content for. */
  readonly tracks: readonly TrackName[];
}

/** Differences smaller than this, in units of the rig or of a quaternion, are none. */
const NONE = 1e-12;

/** Evaluates a run at every frame of the project's range, or at other samples. Gives way after each. Throws `BakeError`. */
export function* sampleRun(
  { project, from, to, kind }: MergePlan,
  plan: BakePlan = planBake(project, {}),
): Steps<RunSamples> {
  const { rig } = project;
  const n = rig.joints.length;
  const stack = compileStack(project);
  const below = newSamples(rig, plan.count, plan.rate);
  const after = newSamples(rig, plan.count, plan.rate);
  const pose = restPose(rig);
  const rest = restPose(rig);
  const touched = {
    translations: new Uint8Array(n),
    rotations: new Uint8Array(n),
    scales: new Uint8Array(n),
    faces: new Uint8Array(facesOf(rig).length),
  };
  const put = (to: Samples, k: number) => {
    for (const kind of TRACK_KINDS) to[kind].values.set(pose[kind], pose[kind].length * k);
  };
  for (let k = 0; k < plan.count; k++) {
    const frame = plan.first + k * plan.step;
    copyPose(pose, rest);
    applyLayers(stack, frame, 0, from, pose);
    put(below, k);
    applyLayers(stack, frame, from, to + 1, pose);
    put(after, k);
    for (let index = from; index <= to; index++) {
      if (!stack.live[index]) continue;
      const { touched: joints, faces, alphas, rotates } = stack.layers[index];
      for (let t = 0; t < joints.length; t++)
        if (alphas[t] > 0 && rotates[t]) touched.rotations[joints[t]] = 1;
      for (let i = 0; i < faces.length; i++) if (alphas[joints.length + i] > 0) touched.faces[faces[i]] = 1;
    }
    yield (k + 1) / plan.count;
  }
  checkSamples(rig, after, (k) => plan.first + k * plan.step);
  for (const kind of TRACK_KINDS) {
    const { size, values, joints } = after[kind];
    for (let i = 0; i < values.length; i++)
      if (Math.abs(values[i] - below[kind].values[i]) > NONE)
        touched[kind][Math.floor((i % (size * joints.length)) / size)] = 1;
  }
  const tracks =
    kind === 'base'
      ? neededTracks(rig, after)
      : tracksOfRig(rig).filter(({ member, kind }) => touched[kind][kind === 'faces' ? member - n : member]);
  return { plan, below, after, tracks };
}

/** What keys of a run have to be like, so that a layer holds them: values, or for an additive layer changes. */
export const wantedKeysOfRun = (
  { project, kind, from, to }: MergePlan,
  { plan, below, tracks }: RunSamples,
  limits: KeyLimits,
): KeysWanted => ({
  ...limits,
  space: 'euler',
  tracks,
  wanted: wantedKeys(project, plan, from, to),
  ...(kind === 'additive' && { below }),
});

/** What the layer that a run becomes is called: as its top one, or where it becomes a new base as the base was. */
export const nameOfRun = (
  layers: readonly Layer[],
  { from, to, kind }: Pick<MergePlan, 'from' | 'to' | 'kind'>,
): string => layers[kind === 'base' ? from : to].name;

/** The layer that a run becomes: it has the id and the colour of the top one and counts in full. */
export function layerOfRun(
  layers: readonly Layer[],
  plan: Pick<MergePlan, 'from' | 'to' | 'kind' | 'solo' | 'group'>,
  content: Content,
): Layer {
  const { to, kind, solo, group } = plan;
  const { id, color } = layers[to];
  return newLayer(nameOfRun(layers, plan), kind === 'additive' ? 'additive' : 'override', {
    id,
    ...(kind !== 'base' && color !== undefined && { color }),
    ...(group !== undefined && { group }),
    solo,
    content,
  });
}

/** How often limits are made narrower before every sample becomes a key, and what part of a limit is aimed at. */
const ROUNDS = 4;
const AIMED = 0.8;

/**
 * Finds few keys for a run that keep the limits in the whole stack, with whatever plays above: where layers above make errors
 * larger, the limits of the run itself are made narrower until they are kept, and in the end every sample is a key. `find`
 * finds keys for samples. The error that is stated is that of the whole stack.
 */
export async function keysOfRun(
  merge: MergePlan,
  run: RunSamples,
  limits: KeyLimits,
  find: (wanted: KeysWanted) => Promise<MotionKeys>,
): Promise<MotionKeys> {
  const { project, from, to } = merge;
  const { plan } = run;
  const { rig } = project;
  let own = limits;
  let keys = await find(wantedKeysOfRun(merge, run, own));
  if (to + 1 === project.layers.length) return keys;
  const whole = placesOf(rig, bakeBlock(compileStack(project), plan, 0, plan.count));
  for (let round = 0; ; round++) {
    const content = keyed(layerChannels(rig, keys, plan.first, plan.step));
    const layers = project.layers.toSpliced(
      from,
      to - from + 1,
      layerOfRun(project.layers, { ...merge, solo: false }, content),
    );
    const error = motionError(whole, bakeBlock(compileStack({ ...project, layers }), plan, 0, plan.count));
    const over = Math.max(
      error.length / limits.length,
      error.angle / limits.angle,
      error.number / (limits.number ?? USUAL_NUMBER),
    );
    if (over <= 1 || round > ROUNDS) return { ...keys, error };
    const narrower = round === ROUNDS ? 0 : AIMED / over;
    own = {
      length: own.length * narrower,
      angle: own.angle * narrower,
      number: (own.number ?? USUAL_NUMBER) * narrower,
    };
    keys = await find(wantedKeysOfRun(merge, run, own));
  }
}

/**
 * A run as samples of a take of one character: what it holds and no more, for an additive layer as a change from rest; undefined where it
 * does nothing with it. Throws
 * {@link BakeError} where props do not stay where they are below it, which no take of a character holds.
 */
export function takeOfRun(
  { project, kind }: MergePlan,
  { below, after, tracks }: RunSamples,
  character = 0,
): Motion | undefined {
  const { rig } = project;
  const prop = tracks.find(({ member }) => ownerOfMember(rig, member) < 0 && kind !== 'base');
  if (kind === 'base') checkProps(rig, after);
  else if (prop) throw propLost(rig.joints[prop.member].name);
  const own = tracks.filter(({ member }) => ownerOfMember(rig, member) === character);
  if (own.length === 0) return undefined;
  const rigOfTake = rigOfCharacter(rig, character);
  const place = new Map(membersOfCharacter(rig, character).map((member, k) => [member, k]));
  const track = (kindOf: TrackKind): Track => {
    const names = own.filter(({ kind }) => kind === kindOf);
    const { size } = after[kindOf];
    const values = new Float64Array(size * names.length * after.count);
    for (const [entry, name] of names.entries()) {
      const numbers = kind === 'additive' ? changedRest(rig, name, after, below) : numbersOf(after, name);
      for (let s = 0; s < after.count; s++)
        values.set(numbers.subarray(size * s, size * (s + 1)), size * (s * names.length + entry));
    }
    const first = kindOf === 'faces' ? rigOfTake.joints.length : 0;
    return { joints: Int32Array.from(names, ({ member }) => place.get(member)! - first), size, values };
  };
  return {
    rig: rigOfTake,
    count: after.count,
    interval: after.interval,
    translations: track('translations'),
    rotations: track('rotations'),
    scales: track('scales'),
    faces: track('faces'),
  };
}

const propLost = (name: string) =>
  new BakeError(
    `${name} does not stay where it was put, which a take of the character cannot hold: make keys of it, which can`,
  );

/**
 * Refuses samples that are to be a base by themselves where a prop is anywhere but at rest: a take holds no props. Throws
 * {@link BakeError}.
 */
export function checkProps(rig: Rig, samples: Samples): void {
  const name = propAway(rig, samples);
  if (name !== undefined) throw propLost(name);
}

/** The name of a prop that is anywhere but at rest in some samples. */
function propAway(rig: Rig, samples: Samples): string | undefined {
  const n = rig.joints.length;
  const rest = restPose(rig);
  const away = (joint: number) =>
    (['translations', 'rotations', 'scales'] as const).some((kind) => {
      const { size, values } = samples[kind];
      for (let s = 0; s < samples.count; s++)
        for (let c = 0; c < size; c++)
          if (Math.abs(values[size * (s * n + joint) + c] - rest[kind][size * joint + c]) > NONE) return true;
      return false;
    });
  for (let joint = propsFrom(rig); joint < n; joint++) if (away(joint)) return rig.joints[joint].name;
  return undefined;
}

/**
 * The base that a merge takes away, as a motion, where no take holds it: it was keyed. Undefined otherwise, and where props
 * do not stay at rest in it, which a take cannot hold.
 */
export function oldBase(
  { project, from }: { readonly project: Project; readonly from: number },
  plan: BakePlan,
): Motion | undefined {
  const [base] = project.layers;
  if (from > 0 || base.content.kind !== 'curves') return undefined;
  // What it holds is kept, also where it was muted to play another layer alone.
  const alone = { ...project, layers: [{ ...base, muted: false, solo: false }] };
  const samples = bakeBlock(compileStack(alone), plan, 0, plan.count);
  const { rig } = project;
  if (propAway(rig, samples) !== undefined) return undefined;
  return { ...samplesOfCharacter(rig, 0, samples), rig: rigOfCharacter(rig, 0) };
}

/** The rest of a member, changed as a run changes it, at every sample. */
function changedRest(rig: Rig, name: TrackName, after: Samples, below: Samples): Float64Array {
  const { kind } = name;
  const numbers = changesOf(after, below, name);
  const rest = [...restOf(rig, name)];
  if (kind === 'rotations')
    for (let o = 0; o < numbers.length; o += 4) multiply(numbers, o, rest, 0, numbers, o);
  else
    for (let i = 0; i < numbers.length; i++) {
      if (kind === 'scales') numbers[i] *= rest[i % rest.length];
      else numbers[i] += rest[i % rest.length];
    }
  return numbers;
}
