import { type Curve, newKey } from '../curve/curve.js';
import { fewKeys } from '../curve/few-keys.js';
import { compileStack } from '../evaluate/compile.js';
import { evaluateStack } from '../evaluate/evaluate.js';
import type { KeysJob } from '../keys/find-keys.js';
import type { KeyLimits } from '../keys/fit-tracks.js';
import { keysFromSamples } from '../keys/keys-from-samples.js';
import { channelsOfKind, layerChannels } from '../keys/layer-keys.js';
import type { MotionKeys } from '../keys/motion-keys.js';
import { numbersOf, TRACK_KINDS, type TrackName, tracksOfRig } from '../keys/tracks.js';
import { type MotionError, motionError, placesOf } from '../keys/whole-pose.js';
import { type JointChannels, keyed, playing } from '../layer/content.js';
import { LAYER_COLORS, type Layer, newLayer } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { DEGREES } from '../math/euler.js';
import { emptyRecord } from '../record.js';
import { memberName } from '../rig/members.js';
import { partLabel } from '../rig/parts.js';
import { restPose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import { type Samples, type Take, takeDuration } from '../take/take.js';
import { type Component, componentsOf } from './components.js';
import { newSamples, planBake } from './plan.js';

/** Components are taken until they explain so much of all differences, and no more than so many. */
const ENOUGH = 0.95;
const MOST = 12;
/** A component that turns back by no more than this has its weight keyed; one that does has keys that go both ways. */
const BACK = 0.02;
/** Changes smaller than this, in radians or units of the rig, are left to the last layer. */
const SMALL = 1e-5;
/** How far keyed weights may be off; what that leaves goes into the last layer. */
const WEIGHT_OFF = 0.004;

/** A finished motion as layers over the original. */
export interface TakenApart {
  /** The original, with the layers over it: the sum is the finished motion again. */
  readonly project: Project;
  /** All components, the strongest first; of those that are not layers of their own the last layer is made. */
  readonly components: readonly Component[];
  /** How many of them are layers. */
  readonly count: number;
  /** How far what is seen without the last layer is from the finished motion. */
  readonly left: MotionError;
  /** Keys of the last layer, and how far the whole is from the finished motion. */
  readonly rest: MotionKeys;
}

/** How many components are layers where nobody says. */
export function usualCount(components: readonly Component[]): number {
  let explained = 0;
  const enough = components.findIndex(({ share }) => {
    explained += share;
    return explained >= ENOUGH;
  });
  return Math.min(MOST, enough < 0 ? components.length : enough + 1);
}

/**
 * Finds layers that explain how a finished motion differs from the stack of a project, which plays the original. `finished`
 * has a sample for each of the project's frames. By part of the body a few additive layers, each a pose change times a weight
 * over time; and one with what is left, as keys within limits.
 */
export async function takeApart(
  project: Project,
  finished: Samples,
  { count: wanted, ...limits }: KeyLimits & { readonly count?: number },
  job?: KeysJob,
): Promise<TakenApart> {
  const { rig, parts } = project;
  const original = seenOf(project);
  const components = componentsOf(rig, parts, original, finished);
  const count = Math.min(components.length, wanted ?? usualCount(components));
  const names = new Map<string, number>();
  const layers = components.slice(0, count).map((component, k): Layer => {
    const label = component.parts.map(partLabel).join(' and ');
    const place = (names.get(label) ?? 0) + 1;
    names.set(label, place);
    const name = `${label[0].toUpperCase()}${label.slice(1)}${place > 1 ? ` ${place}` : ''}`;
    return layerOf(project, component, name, LAYER_COLORS[k % LAYER_COLORS.length]);
  });
  const explained: Project = { ...project, layers: [...project.layers, ...layers] };
  const below = seenOf(explained);
  const rest = await keysFromSamples(
    rig,
    finished,
    { ...limits, space: 'euler', below, tracks: differing(rig, below, finished) },
    job,
  );
  const channels = layerChannels(rig, rest, project.range[0], 1);
  const last = newLayer('What is left', 'additive', { content: keyed(channels) });
  return {
    project: { ...explained, layers: [...explained.layers, last] },
    components,
    count,
    left: motionError(placesOf(rig, finished), below),
    rest,
  };
}

/**
 * A project with the original as base, and the finished motion at each of its frames: joints are matched by name, those that
 * the finished one lacks stay as they are, and what only one of them lasts is left out.
 */
export function startApart(
  original: Project,
  finished: Take,
): { readonly project: Project; readonly finished: Samples } {
  const last = Math.floor(Math.min(original.range[1], takeDuration(finished) * original.fps) + 1e-6);
  const project: Project = { ...original, range: [original.range[0], last] };
  const over = newLayer(finished.name, 'override', { content: playing(finished.id) });
  const both = { ...project, takes: [...project.takes, finished], layers: [...project.layers, over] };
  return { project, finished: seenOf(both) };
}

/** What is seen of a project at its frames. */
export function seenOf(project: Project): Samples {
  const { rig } = project;
  const plan = planBake(project, {});
  const stack = compileStack(project);
  const samples = newSamples(rig, plan.count, plan.rate);
  const pose = restPose(rig);
  for (let k = 0; k < plan.count; k++) {
    evaluateStack(stack, plan.first + k, pose);
    for (const kind of TRACK_KINDS) samples[kind].values.set(pose[kind], pose[kind].length * k);
  }
  return samples;
}

/** The tracks in which two motions differ. */
const differing = (rig: Rig, a: Samples, b: Samples): TrackName[] =>
  tracksOfRig(rig).filter((name) => {
    const other = numbersOf(b, name);
    return numbersOf(a, name).some((value, i) => Math.abs(value - other[i]) > 1e-9);
  });

/** A component as an additive layer: its change under a keyed weight, or where it goes both ways as keyed changes. */
function layerOf(
  { rig, range: [first] }: Project,
  { pose, weights }: Component,
  name: string,
  color: string,
): Layer {
  const points = [...weights].map((value, k) => [first + k, value] as const);
  const keys = fewKeys(points, WEIGHT_OFF);
  const oneWay = weights.every((value) => value >= -BACK);
  const channels = emptyRecord<JointChannels>();
  for (const { track, axis, value } of pose) {
    if (Math.abs(value) < SMALL) continue;
    const name = memberName(rig, track.member);
    const size = track.kind === 'rotations' ? value * DEGREES : value;
    const curve: Curve = oneWay
      ? { keys: [newKey(first, size)] }
      : { keys: keys.map((key) => newKey(key.frame, key.value * size)) };
    channels[name] = { ...channels[name], [channelsOfKind(track.kind)[axis]]: curve };
  }
  const weight: Curve = { keys: keys.map((key) => newKey(key.frame, Math.max(0, key.value))) };
  return newLayer(name, 'additive', { color, content: keyed(channels), ...(oneWay && { weight }) });
}
