import { compileStack } from '../evaluate/compile.js';
import { evaluateStack } from '../evaluate/evaluate.js';
import { inFull, type Layer } from '../layer/layer.js';
import { baseOf, layerById, type Project } from '../layer/project.js';
import { globalMatrices, restPose } from '../rig/pose.js';
import { type Crossing, changing } from './crossing.js';
import { feetToHold, type Hold } from './hold.js';
import { frameOf } from './performance.js';
import { type Placed, standsIn } from './placed.js';
import type { Region } from './regions.js';
import { crossOver } from './write.js';

/** What is seen of each foot while a crossing plays, in the order of the regions that have one. */
export interface FootSeen {
  readonly region: string;
  /** How far it slides more than in its own performances, in the rig's unit. */
  readonly slide: number;
  /** The largest second difference of the places of its leg's joints, from sample to sample, in the rig's unit. */
  readonly jolt: number;
}

/** Judges crossings by what is seen once they are written. */
export interface Judge {
  /** Over the frames of the crossing, or of another one. */
  readonly seen: (crossing: Crossing, placed: Placed, over?: Crossing) => readonly FootSeen[];
  /** The same crossing with feet held by contacts. */
  readonly held: (crossing: Crossing, placed: Placed, hold: Hold) => Crossing;
}

/** Samples before the first change and after the last that are looked at. */
const BESIDE = 2;

/**
 * Makes a judge for crossings of two layers of a project: it evaluates both over each other as they would be written, turns of
 * the trunk and all, and sums the way of the lowest point of each foot while it stands, less its way there by itself.
 */
export function judgeFor(project: Project, lower: string, upper: string, regions: readonly Region[]): Judge {
  const base = baseOf(project);
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
  const feet = regions.flatMap(({ foot, name, joints }) => (foot ? [{ foot, name, joints }] : []));
  const pose = restPose(rig);
  const matrices = new Float64Array(16 * rig.joints.length);
  const seen = (crossing: Crossing, placed: Placed, over = crossing): FootSeen[] => {
    const stack = compileStack(crossOver(both, upper, crossing));
    const { lower: a, positions, shift } = placed;
    const n = a.joints;
    const [first, last] = looked(over).map((frame) => (frame - a.first) / a.step);
    const placesAt = (s: number): Float64Array => {
      evaluateStack(stack, frameOf(a, s), pose);
      globalMatrices(rig, pose, matrices);
      return Float64Array.from({ length: 3 * n }, (_, k) => matrices[16 * Math.floor(k / 3) + 12 + (k % 3)]);
    };
    const slides = feet.map(() => 0);
    const jolts = feet.map(() => 0);
    const [from, to] = [Math.floor(first) - BESIDE, Math.ceil(last) + BESIDE];
    let before = placesAt(from - 1);
    let here = placesAt(from);
    for (let s = from; s < to; s++) {
      const next = placesAt(s + 1);
      for (const [k, { foot, name, joints }] of feet.entries()) {
        for (const j of joints)
          jolts[k] = Math.max(
            jolts[k],
            Math.hypot(...[0, 1, 2].map((c) => before[3 * j + c] - 2 * here[3 * j + c] + next[3 * j + c])),
          );
        const change = crossing.changes.find(({ region }) => region === name);
        const after = change !== undefined && frameOf(a, s + 0.5) >= change.frame;
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
      before = here;
      here = next;
    }
    return feet.map(({ name }, k) => ({ region: name, slide: slides[k], jolt: jolts[k] }));
  };
  return {
    seen,
    held: (crossing, placed, hold) => ({
      ...crossing,
      held: feetToHold(both, lower, upper, regions, crossing, placed, hold),
    }),
  };
}

/** First and last frame that are looked at: all in which a region changes over or a foot is held. */
function looked(crossing: Crossing): [number, number] {
  const [from, to] = changing(crossing);
  const { fade = 0, limbs = {} } = crossing.held ?? {};
  const spans = Object.values(limbs).flatMap((limb) => limb.spans);
  return [
    Math.min(from, ...spans.map(([start]) => start - fade)),
    Math.max(to, ...spans.map(([, end]) => end + fade)),
  ];
}
