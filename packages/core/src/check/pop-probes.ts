import type { Project } from '../layer/project.js';
import { positionsAtRest } from '../rig/rest.js';
import { characterOf, subtreeEnds } from '../rig/rig.js';
import type { Probe } from './probe.js';
import { matrixAt, rotationAt, type SeenMotion } from './seen.js';

/** Seconds on both sides of a frame that are its neighbourhood in time, and times its median from which a pop stands out. */
const NEIGHBOURHOOD = 0.4;
const STANDS_OUT = 5;
/** Frames a second at which accelerations are measured: at a higher rate the noise of a capture would be all there is. */
export const POP_RATE = 30;

/** Frames of the project from one place to the next between which accelerations are measured. */
export const popStep = (fps: number): number => Math.max(1, Math.round(fps / POP_RATE));

/** Of the liveliest frames of a joint so many, or this part of all, are left out of what it does now and then anyway. */
const FEWEST = 2;
const LIVELIEST = 0.02;
/** Times that from which a pop stands out. */
const LIVELIER = 1.5;

/**
 * Joints that pop: what a joint's own turn against its parent (or a root's way) is accelerated by, at the farthest point
 * that hangs on it, where that is far above what its neighbourhood in time has, and above what it does now and then anyway,
 * as feet that come down do.
 */
export function popProbes(project: Project): Probe[] {
  const { rig, fps, metresPerUnit } = project;
  const levers = leversOf(project);
  const count = characterOf(rig).joints.length;
  const reach = Math.max(3, Math.round(NEIGHBOURHOOD * fps));
  const step = popStep(fps);
  const rate = (fps / step) ** 2;
  return rig.joints.flatMap(({ parent }, joint): Probe[] => {
    const lever = levers[joint] * metresPerUnit;
    if (!(lever > 0) && parent >= 0) return [];
    // A prop may fall and bounce: it pops where its way across the floor does.
    const axes = joint < count ? [12, 13, 14] : [12, 14];
    const swing = (seen: SeenMotion, f: number): number => {
      if (f < step || f + step >= seen.frames.length) return 0;
      const turned = lever * secondTurn(seen, f, step, joint) * rate;
      return parent >= 0
        ? turned
        : Math.max(turned, secondMove(seen, f, step, joint, axes) * metresPerUnit * rate);
    };
    const swings = new WeakMap<SeenMotion, { readonly all: Float64Array; readonly usual: number }>();
    const swingsIn = (seen: SeenMotion) => {
      let known = swings.get(seen);
      if (!known) {
        const all = Float64Array.from({ length: seen.frames.length }, (_, f) => swing(seen, f));
        const sorted = all.slice().sort();
        const left = Math.max(FEWEST * step, Math.floor(LIVELIEST * all.length));
        known = { all, usual: LIVELIER * (sorted[sorted.length - 1 - left] ?? 0) };
        swings.set(seen, known);
      }
      return known;
    };
    return [
      {
        kind: 'pop',
        unit: 'm/s²',
        joint,
        looks: [joint],
        around: step,
        at(seen, f) {
          // Of a few frames alone, as they are seen to tell causes, all of it counts.
          if (seen.frames.length <= 2 * step + 1) return swing(seen, f);
          const { all, usual } = swingsIn(seen);
          return all[f] > usual && all[f] > STANDS_OUT * medianAround(all, f, step, reach) ? all[f] : 0;
        },
      },
    ];
  });
}

/** The median of numbers around one, without that and those that see the same leap. */
function medianAround(all: Float64Array, f: number, step: number, reach: number): number {
  const around: number[] = [];
  for (let k = Math.max(step, f - reach); k < Math.min(all.length - step, f + reach + 1); k++)
    if (Math.abs(k - f) >= 2 * step) around.push(all[k]);
  around.sort((a, b) => a - b);
  return around.length > 0 ? around[around.length >> 1] : 0;
}

/** The second difference of a joint's place, in units of the rig. */
function secondMove(
  seen: SeenMotion,
  f: number,
  step: number,
  joint: number,
  axes: readonly number[],
): number {
  let moved = 0;
  for (const axis of axes) {
    const [a, b, c] = [f - step, f, f + step].map((k) => seen.matrices[matrixAt(seen, k, joint) + axis]);
    moved += (a - 2 * b + c) ** 2;
  }
  return Math.sqrt(moved);
}

/** How the turn of a joint to the next frame differs from that to this one, in radians. */
function secondTurn(seen: SeenMotion, f: number, step: number, joint: number): number {
  const r = seen.rotations;
  const [a, b, c] = [f - step, f, f + step].map((k) => rotationAt(seen, k, joint));
  const before = turnOf(r, a, b);
  const after = turnOf(r, b, c);
  return Math.hypot(after[0] - before[0], after[1] - before[1], after[2] - before[2]);
}

/** The turn from one rotation to another as an axis times an angle, in the parent's axes. */
function turnOf(r: Float64Array, a: number, b: number): [number, number, number] {
  // q = b · a⁻¹
  const x = -r[b + 3] * r[a] + r[b] * r[a + 3] - r[b + 1] * r[a + 2] + r[b + 2] * r[a + 1];
  const y = -r[b + 3] * r[a + 1] + r[b] * r[a + 2] + r[b + 1] * r[a + 3] - r[b + 2] * r[a];
  const z = -r[b + 3] * r[a + 2] - r[b] * r[a + 1] + r[b + 1] * r[a] + r[b + 2] * r[a + 3];
  const w = r[b] * r[a] + r[b + 1] * r[a + 1] + r[b + 2] * r[a + 2] + r[b + 3] * r[a + 3];
  const side = w < 0 ? -1 : 1;
  const sin = Math.hypot(x, y, z);
  const angle = 2 * Math.atan2(sin, Math.abs(w));
  const k = sin > 1e-12 ? (side * angle) / sin : 2 * side;
  return [k * x, k * y, k * z];
}

/** For each joint how far the farthest of what hangs on it is from it, at rest. */
function leversOf({ rig }: Project): number[] {
  const places = positionsAtRest(rig);
  const ends = subtreeEnds(rig);
  return rig.joints.map(({ ends: own }, j) => {
    let far = Math.max(0, ...own.map((end) => Math.hypot(...end)));
    for (let k = j + 1; k < ends[j]; k++)
      far = Math.max(
        far,
        Math.hypot(...[0, 1, 2].map((axis) => places[3 * k + axis] - places[3 * j + axis])),
      );
    return far;
  });
}
