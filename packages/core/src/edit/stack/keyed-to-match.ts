import type { Curve, Key } from '../../curve/curve.js';
import { compileStack } from '../../evaluate/compile.js';
import type { CompiledLayer, CompiledStack } from '../../evaluate/compiled.js';
import { alphaAt, applyLayers } from '../../evaluate/evaluate.js';
import { MOVES, SCALES } from '../../evaluate/steps/channel-step.js';
import { channelStepOf, contactStepOf, takeStepOf, targetStepOf } from '../../evaluate/steps/step.js';
import type { Steps } from '../../job/steps.js';
import { type Channel, type JointChannels, keyed } from '../../layer/content.js';
import { keyFrames, type Layer } from '../../layer/layer.js';
import { layerById, layerIndex, type Project } from '../../layer/project.js';
import { ownTime } from '../../layer/time.js';
import { DEGREES, RADIANS, unwindEuler } from '../../math/euler.js';
import { emptyRecord } from '../../record.js';
import { memberName } from '../../rig/members.js';
import { copyPose, type Pose, restPose } from '../../rig/pose.js';
import { type ChannelValues, SMALLEST_ALPHA, solvePose } from '../../solve/solve.js';
import { changeLayer } from '../change.js';
import { addPoints, curvesThrough, type Kind, type Points } from '../keys/curves-through.js';

/** Which kinds of channels a layer drives, member by member of the rig. */
type Driven = ReadonlyMap<number, readonly Kind[]>;

/**
 * Puts another layer in the place of one, with keys so that over the range the same is seen right above it as before, on the
 * joints that the layer drove. `next` has its id and everything but content; its own frames have to be those of the project.
 * What it has to hold is solved for once, a frame a step; the result makes keys of that, the fewer the larger the tolerance.
 * With 0 there is one at every frame.
 */
export function* keyedToMatch(
  project: Project,
  id: string,
  next: Layer,
): Steps<(tolerance: number) => Project> {
  const layer = layerById(project, id)!;
  const index = layerIndex(project, id);
  const source = upTo(project, index, layer);
  const driven = drivenBy(source.layers[index], project.rig.joints.length);
  const target = upTo(project, index, { ...next, allows: undefined, content: placeholder(project, driven) });
  const points: Points = new Map();
  const after = restPose(project.rig);
  let before: ReadonlyMap<number, ChannelValues> = new Map();
  const frames = framesOf(project, layer);
  for (const [k, frame] of frames.entries()) {
    yield k / frames.length;
    copyPose(after, source.rest);
    applyLayers(source, frame, 0, index + 1, after);
    const values = solvedAt(target, index, frame, driven, after, before);
    for (const [j, held] of values) addPoints(points, j, frame, held);
    before = new Map([...before, ...values]);
  }
  const kept = new Set(keysOnProject(project, layer));
  return (tolerance) =>
    changeLayer(project, id, () => ({
      ...next,
      content: keyed(curvesThrough(project, points, kept, tolerance)),
    }));
}

/** The stack up to a layer, in which that one and what is around it is switched on: what lies above sees what it makes. */
const upTo = (project: Project, index: number, layer: Layer): CompiledStack =>
  compileStack({
    ...project,
    groups: project.groups.map((group) => ({
      ...group,
      solo: false,
      muted: group.id === layer.group ? false : group.muted,
    })),
    layers: [
      ...project.layers.slice(0, index).map((one) => ({ ...one, solo: false })),
      { ...layer, muted: false, solo: false },
    ],
  });

function drivenBy({ steps, touched, faces, rotates }: CompiledLayer, joints: number): Driven {
  const channels = channelStepOf(steps);
  const take = takeStepOf(steps);
  // What has no limb moves itself, and the root comes down where contacts want it.
  const moved = new Set(
    (targetStepOf(steps)?.targets ?? []).flatMap(({ limb, joint }) => (limb ? [] : [joint])),
  );
  const contacts = contactStepOf(steps);
  for (const root of contacts?.lowered ?? []) moved.add(root);
  const driven = new Map<number, Kind[]>();
  for (const [k, j] of touched.entries()) {
    const moves = take ? take.translation[j] >= 0 : moved.has(j) || ((channels?.kinds[k] ?? 0) & MOVES) > 0;
    const scales = take ? take.scale[j] >= 0 : ((channels?.kinds[k] ?? 0) & SCALES) > 0;
    driven.set(j, [
      ...(rotates[k] ? (['r'] as const) : []),
      ...(moves ? (['t'] as const) : []),
      ...(scales ? (['s'] as const) : []),
    ]);
  }
  for (const f of faces) driven.set(joints + f, ['m']);
  return driven;
}

/** The frames that are solved for: whole frames of the range within the span of a layer, and those of its keys. */
function framesOf(project: Project, layer: Layer): number[] {
  const { span } = layer;
  const first = Math.max(project.range[0], span?.start ?? Number.NEGATIVE_INFINITY);
  const last = Math.min(project.range[1], span?.end ?? Number.POSITIVE_INFINITY);
  const frames = new Set(first <= last ? [first, last] : []);
  for (let frame = Math.ceil(first); frame <= last; frame++) frames.add(frame);
  for (const frame of keysOnProject(project, layer)) if (frame > first && frame < last) frames.add(frame);
  return [...frames].sort((a, b) => a - b);
}

/** The project frames of the keys of a layer that plays its content once; those of a loop stand in no fixed place. */
function keysOnProject(project: Project, layer: Layer): number[] {
  const { offset, speed, loop } = ownTime(layer, undefined, project.fps);
  if (loop !== 'none' || speed === 0 || layer.content.kind !== 'curves') return [];
  return keyFrames(layer).map((own) => offset + own / speed);
}

const AXES = ['x', 'y', 'z'] as const;

/** A key on every channel that is driven, so that the layer has content to solve for. */
function placeholder(project: Project, driven: Driven): Layer['content'] {
  const key = (value: number): Curve => ({
    keys: [{ id: '', frame: 0, value, ease: 'smooth' } satisfies Key],
  });
  const channels = emptyRecord<JointChannels>();
  for (const [j, kinds] of driven)
    channels[memberName(project.rig, j)] = Object.fromEntries(
      kinds.flatMap((kind) => {
        const own: Channel[] = kind === 'm' ? ['m'] : AXES.map((axis): Channel => `${kind}${axis}`);
        return own.map((channel) => [channel, key(kind === 's' ? 1 : 0)]);
      }),
    );
  return keyed(channels);
}

/**
 * What the layer has to hold at a frame for what is `after` it. Joints that count less than
 * {@link SMALLEST_ALPHA} there are left out. Angles are brought near those of the frame before, `near`.
 */
function solvedAt(
  stack: CompiledStack,
  index: number,
  frame: number,
  driven: Driven,
  after: Pose,
  near: ReadonlyMap<number, ChannelValues>,
): Map<number, ChannelValues> {
  const counting = [...driven.keys()].filter((j) => alphaAt(stack, index, j, frame) >= SMALLEST_ALPHA);
  const wanted = counting.map((j) => {
    const kinds = driven.get(j)!;
    return [
      j,
      {
        ...(kinds.includes('r') && { rotation: [...after.rotations.subarray(4 * j, 4 * j + 4)] }),
        ...(kinds.includes('t') && { translation: [...after.translations.subarray(3 * j, 3 * j + 3)] }),
        ...(kinds.includes('s') && { scale: [...after.scales.subarray(3 * j, 3 * j + 3)] }),
        ...(kinds.includes('m') && { m: after.faces[j - stack.rig.joints.length] }),
      },
    ] as const;
  });
  const solved = solvePose(stack, frame, index, new Map(wanted));
  return new Map(
    counting.map((j) => {
      const values: ChannelValues = { ...solved?.get(j) };
      const { rx, ry, rz } = values;
      if (rx !== undefined && ry !== undefined && rz !== undefined) {
        // Of a change that counts in part the parts are angles of one rotation, not the whole numbers.
        const factor = stack.layers[index].additive ? alphaAt(stack, index, j, frame) : 1;
        const scaled = (angle: number) => factor * angle * RADIANS;
        const angles = [rx, ry, rz].map(scaled);
        const last = near.get(j);
        unwindEuler(angles, 0, stack.orders[j], [last?.rx ?? 0, last?.ry ?? 0, last?.rz ?? 0].map(scaled), 0);
        [values.rx, values.ry, values.rz] = angles.map((angle) => (angle / factor) * DEGREES);
      }
      return [j, values];
    }),
  );
}
