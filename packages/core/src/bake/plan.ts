import type { WrittenKind } from '../format/kinds/index.js';
import type { Project } from '../layer/project.js';
import { facesOf, memberCount } from '../rig/members.js';
import type { Pose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import type { Samples, Track, TrackSize } from '../take/take.js';

/** What is baked of a project: `count` samples, sample `k` at frame `first + k · step`. */
export interface BakePlan {
  readonly first: number;
  readonly step: number;
  readonly count: number;
  /** Samples a second. */
  readonly rate: number;
}

/** First and last frame and samples a second; those of the project where missing. */
export interface BakeRange {
  readonly range?: readonly [number, number];
  readonly fps?: number;
}

/** Number of samples in a range: sample `k` lies at frame `a + k · fps / rate`, as long as that is not past `b`. */
export function sampleCount(range: readonly [number, number], fps: number, rate: number): number {
  return Math.floor(((range[1] - range[0]) * rate) / fps + 1e-6) + 1;
}

export function planBake(
  project: Project,
  { range = project.range, fps: rate = project.fps }: BakeRange,
): BakePlan {
  const { fps } = project;
  return { first: range[0], step: fps / rate, count: sampleCount(range, fps, rate), rate };
}

/** Numbers that a bake may hold where it is in memory as a whole, ten for each joint and sample. */
const MOST_NUMBERS = 100_000_000;

/** About how many bytes a bake has as a file: rotations of every joint, and where the root goes. */
export const bakeBytes = (rig: Rig, { count }: BakePlan, { writes }: WrittenKind): number =>
  writes.bytesOf(rig.joints.length, count);

const grouped = (value: number) => Math.ceil(value).toLocaleString('en-GB');

/**
 * Why a plan cannot be baked to a file that is written while it is made; undefined where it can. `room` is how many bytes such
 * a file may have where it goes.
 */
export function bakeRefusal(rig: Rig, plan: BakePlan, kind: WrittenKind, room: number): string | undefined {
  const bytes = bakeBytes(rig, plan, kind);
  const most = Math.min(room, kind.writes.most);
  if (bytes <= most) return undefined;
  const why = most < room ? `a ${kind.name} holds at most` : 'there is room for';
  return `${grouped(plan.count)} samples of ${rig.joints.length} joints take some ${grouped(bytes / 1e6)} MB; ${why} ${grouped(Math.floor(most / 1e6))} MB`;
}

/** Why a plan cannot be baked where all samples are needed at once; undefined where it can. */
export function memoryRefusal(rig: Rig, plan: BakePlan): string | undefined {
  const most = Math.floor(MOST_NUMBERS / (10 * memberCount(rig)));
  if (plan.count <= most) return undefined;
  return `${grouped(plan.count)} samples of ${rig.joints.length} joints are more than fit in memory at once; up to ${grouped(most)} samples are`;
}

/** Room for `count` samples of every joint and face channel of a rig. */
export function newSamples(rig: Rig, count: number, rate: number): Samples {
  const n = rig.joints.length;
  const track = (size: TrackSize, entries = n): Track => ({
    joints: Int32Array.from({ length: entries }, (_, j) => j),
    size,
    values: new Float64Array(count * size * entries),
  });
  return {
    count,
    interval: 1 / rate,
    translations: track(3),
    rotations: track(4),
    scales: track(3),
    faces: track(1, facesOf(rig).length),
  };
}

/** Copies sample `k` of samples that hold every joint of the rig into a pose. */
export function poseOfSample(samples: Samples, k: number, pose: Pose): void {
  for (const kind of ['translations', 'rotations', 'scales', 'faces'] as const) {
    const { values, size, joints } = samples[kind];
    const row = size * joints.length;
    pose[kind].set(values.subarray(k * row, (k + 1) * row));
  }
}
