import { type Curve, newKey } from '../../curve/curve.js';
import { curveAt } from '../../curve/evaluate.js';
import { insertKey } from '../../curve/handles.js';
import { compileStack } from '../../evaluate/compile.js';
import { evaluateStack } from '../../evaluate/evaluate.js';
import { type CurveAddress, curveAtAddress } from '../../layer/address.js';
import { CHANNELS, type Channel, channelsOf, takesKeys, targetsOf } from '../../layer/content.js';
import type { Layer } from '../../layer/layer.js';
import { layerById, layerIndex, type Project } from '../../layer/project.js';
import { PLACE_AXES } from '../../layer/target.js';
import { ownFrame } from '../../layer/time.js';
import { emptyRecord, entryOf } from '../../record.js';
import { placePose, putJoint } from '../../rig/placed.js';
import { restPose } from '../../rig/pose.js';
import { type CompiledLimb, reach } from '../../rig/reach.js';
import type { WantedTransform } from '../../solve/beneath.js';
import { type ChannelValues, solvePose } from '../../solve/solve.js';
import { timeOf, type Written, writeScalars } from './curves.js';
import { keyPose, type PoseValues } from './keys.js';
import { nothingOf } from './pose-values.js';

/** How often each point of a path goes half the way to the middle between its neighbours. */
const ROUNDS = 40;

/**
 * A path of places, three numbers each, that was brushed: points go towards the middle between their neighbours, the more
 * the stronger they were brushed (0 to 1). Those with a strength of 0 stay, so that the path meets what is beside it.
 */
export function smoothedPath(points: ArrayLike<number>, strengths: ArrayLike<number>): Float64Array {
  let now = Float64Array.from(points);
  for (let round = 0; round < ROUNDS; round++) {
    const next = now.slice();
    for (let k = 1; k + 1 < strengths.length; k++) {
      const share = Math.min(1, Math.max(0, strengths[k])) / 2;
      if (share === 0) continue;
      for (let axis = 0; axis < 3; axis++) {
        const i = 3 * k + axis;
        next[i] += share * ((now[i - 3] + now[i + 3]) / 2 - now[i]);
      }
    }
    now = next;
  }
  return now;
}

/** What moves along a path: a joint, by its limb where it is the end of one, else by itself. */
export interface PathJoint {
  readonly joint: number;
  readonly limb?: CompiledLimb;
}

/**
 * Brings a joint to places in the scene at frames of the project, as keys on an additive layer, and leaves the frames
 * beside them as they are: the layer gets a key there on every channel that changes. `goals` has places by frame. A frame
 * at which the layer cannot show it is left out.
 */
export function touchUpPath(
  project: Project,
  id: string,
  { joint, limb }: PathJoint,
  goals: ReadonlyMap<number, readonly number[]>,
): Project {
  const index = layerIndex(project, id);
  const { rig } = project;
  if (index < 0 || goals.size === 0) return project;
  const stack = compileStack(project);
  const pose = restPose(rig);
  const solved = new Map<number, PoseValues>();
  for (const [frame, goal] of goals) {
    evaluateStack(stack, frame, pose);
    const wanted = wantedAt(project, { joint, limb }, pose, goal);
    const values = solvePose(stack, frame, index, wanted);
    if (!values) continue;
    const byName = emptyRecord<ChannelValues>();
    for (const [j, channels] of values) byName[rig.joints[j].name] = channels;
    solved.set(frame, byName);
  }
  if (solved.size === 0) return project;
  const frames = [...solved.keys()].sort((a, b) => a - b);
  const pinned = pinFrames(project, id, [frames[0] - 1, frames[frames.length - 1] + 1], [...solved.values()]);
  return frames.reduce((current, frame) => keyPose(current, id, frame, solved.get(frame)!), pinned);
}

function wantedAt(
  { rig }: Project,
  { joint, limb }: PathJoint,
  pose: ReturnType<typeof restPose>,
  goal: readonly number[],
): Map<number, WantedTransform> {
  if (limb) {
    reach(rig, limb, pose, goal);
    return new Map(limb.chain.map((j) => [j, { rotation: [...pose.rotations.subarray(4 * j, 4 * j + 4)] }]));
  }
  putJoint(placePose(rig, pose), joint, goal);
  return new Map([[joint, { translation: [...pose.translations.subarray(3 * joint, 3 * joint + 3)] }]]);
}

/** Keys that hold what a layer holds, on every channel that some poses have. */
function pinFrames(
  project: Project,
  id: string,
  frames: readonly number[],
  poses: readonly PoseValues[],
): Project {
  const layer = layerById(project, id)!;
  const entries: Written[] = [];
  const seen = new Set<string>();
  for (const pose of poses)
    for (const [joint, channels] of Object.entries(pose))
      for (const channel of CHANNELS) {
        if (channels[channel] === undefined || seen.has(`${joint} ${channel}`)) continue;
        seen.add(`${joint} ${channel}`);
        entries.push([
          { kind: 'channel', layer: id, joint, channel },
          pinnedCurve(project, id, joint, channel, frames),
        ]);
      }
  return !takesKeys(layer) ? project : writeScalars(project, entries);
}

function pinnedCurve(
  project: Project,
  id: string,
  joint: string,
  channel: Channel,
  frames: readonly number[],
): Curve {
  const layer = layerById(project, id)!;
  const time = timeOf(project, layer, { kind: 'channel', layer: id, joint, channel });
  const curve = entryOf(channelsOf(layer), joint)?.[channel];
  const owns = frames.map((frame) => ownFrame(time, frame)).sort((a, b) => a - b);
  if (!curve) return { keys: owns.map((own) => newKey(own, nothingOf(channel))) };
  return owns.reduce<Curve>((current, own) => insertKey(current, own), curve);
}

/** The keyed curves on a layer that say where a joint is: those of the last target on it, else its own channels. */
function placeCurves(layer: Layer, joint: string): { address: CurveAddress; curve: Curve }[] {
  const target = targetsOf(layer).findLast((one) => one.joint === joint);
  return PLACE_AXES.flatMap((channel) => {
    const address: CurveAddress = target
      ? { kind: 'target', layer: layer.id, target: target.id, joint, field: 'at', channel }
      : { kind: 'channel', layer: layer.id, joint, channel };
    const curve = curveAtAddress(layer, address);
    return curve ? [{ address, curve }] : [];
  });
}

/**
 * Lets a root, a prop or a target run along its path at an even pace between its first and its last key on a layer: its
 * keys keep their places and move in time, so that each is as far along in frames as it is along the path, and the curves
 * go through them at that pace. The path of a target is that in its space.
 */
export function evenPace(project: Project, id: string, joint: string): Project {
  const layer = layerById(project, id);
  const own = layer ? placeCurves(layer, joint) : [];
  if (own.length === 0) return project;
  const frames = [...new Set(own.flatMap(({ curve }) => curve.keys.map(({ frame }) => frame)))];
  frames.sort((a, b) => a - b);
  const [first, last] = [frames[0], frames[frames.length - 1]];
  if (frames.length < 3) return project;
  const placeAt = (frame: number) => own.map(({ curve }) => curveAt(curve, frame));
  const along = new Map<number, number>([[first, 0]]);
  let way = 0;
  for (let i = 0; i + 1 < frames.length; i++) {
    let before = placeAt(frames[i]);
    for (let k = 1; k <= CHORDS; k++) {
      const now = placeAt(frames[i] + ((frames[i + 1] - frames[i]) * k) / CHORDS);
      way += Math.hypot(...now.map((value, axis) => value - before[axis]));
      before = now;
    }
    along.set(frames[i + 1], way);
  }
  if (way < 1e-9) return project;
  const pace = way / (last - first);
  // The direction of the path at a key, one number a channel: from a little before it to a little after it.
  const slopesAt = (frame: number): number[] => {
    const i = frames.indexOf(frame);
    const from = placeAt(i > 0 ? frame - (frame - frames[i - 1]) / CHORDS : frame);
    const to = placeAt(i + 1 < frames.length ? frame + (frames[i + 1] - frame) / CHORDS : frame);
    const step = to.map((value, axis) => value - from[axis]);
    const length = Math.hypot(...step);
    return step.map((value) => (length > 0 ? (value / length) * pace : 0));
  };
  return writeScalars(
    project,
    own.map(({ address, curve }, axis): Written => {
      const keys = curve.keys.map((key) => ({
        ...key,
        frame: first + (along.get(key.frame)! / way) * (last - first),
        ease: 'bezier' as const,
        slope: slopesAt(key.frame)[axis],
      }));
      const apart = keys.filter((key, i) => i === 0 || key.frame > keys[i - 1].frame + 1e-4);
      return [
        address,
        {
          keys: apart.map(({ slope, ...key }, i) => {
            const before = i > 0 ? (key.frame - apart[i - 1].frame) / 3 : 0;
            const after = i + 1 < apart.length ? (apart[i + 1].frame - key.frame) / 3 : 0;
            return { ...key, in: [-before, -slope * before] as const, out: [after, slope * after] as const };
          }),
        },
      ];
    }),
  );
}

/** Chords of a segment by which its length is measured. */
const CHORDS = 16;
