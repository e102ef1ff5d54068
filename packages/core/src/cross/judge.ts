import { compileStack } from '../evaluate/compile.js';
import { evaluateStack } from '../evaluate/evaluate.js';
import { inFull, type Layer } from '../layer/layer.js';
import { layerById, type Project } from '../layer/project.js';
import { globalMatrices, restPose } from '../rig/pose.js';
import type { Crossing } from './crossing.js';
import { isThere, type Placed, standsIn } from './placed.js';
import type { Region } from './regions.js';
import { crossOver } from './write.js';

/** How far each foot slides more than in its own performances, in the order of the regions that have one. */
export type Slides = readonly number[];

/** Judges a crossing by what is seen once it is written. */
export type Judge = (crossing: Crossing, placed: Placed) => Slides;

/** Frames before the first change and after the last that are looked at. */
const BESIDE = 2;

/**
 * Makes a judge for crossings of two layers of a project: it evaluates both over each other as they would be written, turns of
 * the trunk and all, and sums the way of the lowest point of each foot while it stands, less its way there by itself.
 */
export function judgeFor(project: Project, lower: string, upper: string, regions: readonly Region[]): Judge {
  const base = project.layers[0];
  const full = (id: string, changes: Partial<Layer> = {}) => ({
    ...inFull(layerById(project, id)!),
    ...changes,
  });
  const under = { ...base, muted: false, solo: false, group: undefined };
  const both: Project = {
    ...project,
    groups: [],
    layers: [...(lower === base.id ? [full(lower)] : [under, full(lower)]), full(upper)],
  };
  const { rig } = project;
  const feet = regions.flatMap(({ foot, name }) => (foot ? [{ foot, name }] : []));
  const pose = restPose(rig);
  const matrices = new Float64Array(16 * rig.joints.length);
  return (crossing, placed) => {
    const stack = compileStack(crossOver(both, upper, crossing));
    const { lower: a, positions, shift } = placed;
    const n = a.joints;
    const first =
      Math.floor(Math.min(...crossing.changes.map(({ frame, fade }) => frame - fade / 2))) - BESIDE;
    const last = Math.ceil(Math.max(...crossing.changes.map(({ frame, fade }) => frame + fade / 2))) + BESIDE;
    const seen = (frame: number): Float64Array => {
      evaluateStack(stack, frame, pose);
      globalMatrices(rig, pose, matrices);
      return Float64Array.from({ length: 3 * n }, (_, k) => matrices[16 * Math.floor(k / 3) + 12 + (k % 3)]);
    };
    const slides = feet.map(() => 0);
    let here = seen(first);
    for (let frame = first; frame < last; frame++) {
      const next = seen(frame + 1);
      const s = frame - a.first;
      if (isThere(placed, s) && isThere(placed, s + 1))
        for (const [k, { foot, name }] of feet.entries()) {
          const change = crossing.changes.find(({ region }) => region === name);
          const after = change !== undefined && frame + 0.5 >= change.frame;
          const which = after ? 1 : 0;
          if (!standsIn(placed, foot, s)[which] || !standsIn(placed, foot, s + 1)[which]) continue;
          const j = foot.points.reduce((low, p) =>
            here[3 * p + 1] + next[3 * p + 1] < here[3 * low + 1] + next[3 * low + 1] ? p : low,
          );
          const [of, o] = after ? [positions, 3 * ((s + shift) * n + j)] : [a.positions, 3 * (s * n + j)];
          const own = Math.hypot(of[o + 3 * n] - of[o], of[o + 3 * n + 2] - of[o + 2]);
          const way = Math.hypot(next[3 * j] - here[3 * j], next[3 * j + 2] - here[3 * j + 2]);
          slides[k] += Math.max(0, way - own);
        }
      here = next;
    }
    return slides;
  };
}
