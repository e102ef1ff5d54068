import { FRAME_TOLERANCE } from '../curve/curve.js';
import { compileStack } from '../evaluate/compile.js';
import { evaluateStack } from '../evaluate/evaluate.js';
import type { Steps } from '../job/steps.js';
import { takeOf } from '../layer/content.js';
import { inFull, type Layer } from '../layer/layer.js';
import { baseOf, layerById, layerIndex, type Project } from '../layer/project.js';
import { contentRange, PLAIN_TIME } from '../layer/time.js';
import { feetOf, findContacts } from '../make/contacts.js';
import { globalMatrices, restPose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import { emptyTrack } from '../take/take.js';

/**
 * A performance on the stack as clouds of points: where every joint is, frame by frame, and how fast. Sample `s` of joint
 * `j` starts at `3 · (s · joints + j)`.
 */
export interface Performance {
  readonly joints: number;
  readonly count: number;
  /** The frame of sample 0: of the project, or of an upper layer counted in frames of the project from its own frame 0. */
  readonly first: number;
  /** Frames from one sample to the next. */
  readonly step: number;
  /** Which samples are the performance itself, from and to (not included): beyond them a loop goes on. */
  readonly own: readonly [number, number];
  /** World positions in the rig's unit. */
  readonly positions: Float64Array;
  /** World velocities in the rig's unit a second. */
  readonly velocities: Float64Array;
  /** How much each joint counts in a distance: the length of the bones at it, all together 1. */
  readonly masses: Float64Array;
  /** Whether each foot stands, sample by sample, by the name of its joint. */
  readonly stands: ReadonlyMap<string, Uint8Array>;
}

/** Half of the bones that meet at each joint, as parts of all bones of the rig: fingers count little, shins a lot. */
export function jointMasses(rig: Rig): Float64Array {
  const masses = new Float64Array(rig.joints.length);
  for (const [j, { parent, translation, ends }] of rig.joints.entries()) {
    for (const end of ends) masses[j] += Math.hypot(...end) / 2;
    if (parent < 0) continue;
    const half = Math.hypot(...translation) / 2;
    masses[j] += half;
    masses[parent] += half;
  }
  const all = masses.reduce((sum, mass) => sum + mass, 0);
  return all > 0 ? masses.map((mass) => mass / all) : masses.fill(1 / masses.length);
}

/** A layer alone over the base, or the base alone, switched on and counting in full everywhere. */
function alone(project: Project, id: string, changes: Partial<Layer> = {}): Project {
  const base = baseOf(project);
  const layer = layerById(project, id)!;
  const full = { ...inFull(layer), ...changes };
  const under = { ...base, muted: false, solo: false, group: undefined };
  return { ...project, groups: [], layers: layer === base ? [full] : [under, full] };
}

/** The frame of a sample of a performance. */
export const frameOf = ({ first, step }: Performance, sample: number): number => first + sample * step;

/**
 * The frames of the project in which a layer has something to play, as far as they lie in a range: not before its content
 * begins nor after it ends, nor outside its span. First and last; the last is before the first where there are none.
 */
export function framesOf(
  project: Project,
  id: string,
  [from, to]: readonly [number, number],
): [number, number] {
  const layer = layerById(project, id)!;
  const { loop, offset, speed } = layer.time ?? PLAIN_TIME;
  const { start = from, end = to } = layer.span ?? {};
  const [first, last] = [Math.max(from, start), Math.min(to, end)];
  if (loop !== 'none' || speed === 0) return [first, last];
  const take = project.takes.find((one) => one.id === takeOf(layer)?.take);
  const ends = contentRange(layer, take, project.fps).map((own) => offset + own / speed);
  return [Math.max(first, Math.min(...ends)), Math.min(last, Math.max(...ends))];
}

/** The performance of a lower layer as it plays in the project, from one frame to another, both included. */
export function lowerPerformance(
  project: Project,
  id: string,
  [from, to]: readonly [number, number],
  step = 1,
): Steps<Performance> {
  const first = Math.ceil(from - FRAME_TOLERANCE);
  const count = Math.max(0, Math.floor((to - first + FRAME_TOLERANCE) / step) + 1);
  return sampled(alone(project, id), { first, step, count, own: [0, count] });
}

/**
 * The performance of an upper layer by itself: from the first frame of its content to the last, as fast as it plays, not
 * shifted and where it was recorded. One that loops goes on for `beyond` frames on both sides. The first sample is `later`
 * frames after the first that there could be.
 */
export function upperPerformance(
  project: Project,
  id: string,
  beyond: number,
  step = 1,
  later = 0,
): Steps<Performance> {
  const layer = layerById(project, id)!;
  const time = { ...PLAIN_TIME, ...layer.time, offset: 0 };
  const take = project.takes.find((one) => one.id === takeOf(layer)?.take);
  const cycle = time.loop !== 'none' && time.cycle ? time.cycle : contentRange(layer, take, project.fps);
  const ends = cycle.map((frame) => frame / (time.speed || 1)).sort((a, b) => a - b);
  const more = time.loop === 'none' ? 0 : beyond;
  const first = Math.ceil(ends[0] - more - FRAME_TOLERANCE) + later;
  const count = Math.max(1, Math.floor((ends[1] + more - first + FRAME_TOLERANCE) / step) + 1);
  const bare = layerIndex(project, id) > 0 ? { time, placement: undefined } : { time };
  const sampleAt = (frame: number) => Math.max(0, Math.ceil((frame - first - FRAME_TOLERANCE) / step));
  const own: readonly [number, number] = more > 0 ? [sampleAt(ends[0]), sampleAt(ends[1])] : [0, count];
  return sampled(alone(project, id, bare), { first, step, count, own });
}

/** Evaluates a project at frames one after the other; gives way after each. */
function* sampled(
  project: Project,
  { first, step, count, own }: Pick<Performance, 'first' | 'step' | 'count' | 'own'>,
): Steps<Performance> {
  const { rig, fps } = project;
  const n = rig.joints.length;
  const stack = compileStack(project);
  const pose = restPose(rig);
  const matrices = new Float64Array(16 * n);
  const positions = new Float64Array(3 * n * count);
  const rotations = new Float64Array(4 * n * count);
  const translations = new Float64Array(3 * n * count);
  for (let s = 0; s < count; s++) {
    evaluateStack(stack, first + s * step, pose);
    globalMatrices(rig, pose, matrices);
    for (let j = 0; j < n; j++)
      for (let k = 0; k < 3; k++) positions[3 * (s * n + j) + k] = matrices[16 * j + 12 + k];
    rotations.set(pose.rotations, 4 * n * s);
    translations.set(pose.translations, 3 * n * s);
    yield s / count;
  }
  const joints = Int32Array.from({ length: n }, (_, j) => j);
  const { spans } = findContacts(
    {
      rig,
      count,
      interval: step / fps,
      rotations: { joints, size: 4, values: rotations },
      translations: { joints, size: 3, values: translations },
      scales: emptyTrack(3),
      faces: emptyTrack(1),
    },
    project.metresPerUnit,
  );
  const stands = new Map(feetOf(rig).map((foot) => [foot, new Uint8Array(count)]));
  for (const { joint, from, to } of spans) stands.get(joint)?.fill(1, from, to + 1);
  return {
    joints: n,
    count,
    first,
    step,
    own,
    positions,
    velocities: velocitiesOf(positions, n, count, fps / step),
    masses: jointMasses(rig),
    stands,
  };
}

/** Velocities from the samples beside each one; at the ends from the one that is there. */
function velocitiesOf(
  positions: Float64Array,
  n: number,
  count: number,
  samplesASecond: number,
): Float64Array {
  const velocities = new Float64Array(positions.length);
  for (let s = 0; s < count; s++) {
    const [a, b] = [Math.max(0, s - 1), Math.min(count - 1, s + 1)];
    if (a === b) continue;
    const rate = samplesASecond / (b - a);
    for (let k = 0; k < 3 * n; k++)
      velocities[3 * n * s + k] = (positions[3 * n * b + k] - positions[3 * n * a + k]) * rate;
  }
  return velocities;
}
