import type { Project } from '../layer/project.js';
import { positionsAtRest } from '../rig/rest.js';
import { type Rig, subtreeEnds } from '../rig/rig.js';
import { propsFrom } from '../rig/topology.js';
import { CALM, LEAPS, leapsOf, secondTurn } from './leaps.js';
import type { Probe } from './probe.js';
import { matrixAt, type SeenMotion } from './seen.js';

/** Frames a second at which accelerations are measured: at a higher rate the noise of a capture would be all there is. */
export const POP_RATE = 30;

/** Frames of the project from one place to the next between which accelerations are measured. */
export const popStep = (fps: number): number => Math.max(1, Math.round(fps / POP_RATE));

/** Metres to the farthest point that hangs on a joint, at least: a leap of a hand or a neck is seen by its angle. */
const LEVER = 0.3;

/**
 * Joints that pop: what a joint's own turn against its parent (or a root's way) is accelerated by, at the farthest point
 * that hangs on it, where it leaps, as {@link leapsOf} says.
 */
export function popProbes(project: Project): Probe[] {
  const { rig, fps, metresPerUnit } = project;
  const levers = leversOf(project);
  const count = propsFrom(rig);
  const step = popStep(fps);
  return rig.joints.flatMap(({ parent }, joint): PopProbe[] => {
    if (!(levers[joint] > 0) && parent >= 0) return [];
    const lever = Math.max(LEVER, levers[joint] * metresPerUnit);
    // A prop may fall and bounce: it pops where its way across the floor does.
    const axes = joint < count ? [12, 13, 14] : [12, 14];
    return [
      {
        kind: 'pop',
        unit: 'm/s²',
        joint,
        looks: [joint],
        around: step,
        at: popAt,
        mild: isMildAt,
        rig,
        axes,
        lever,
        metresPerUnit,
        fps,
        step,
        known: new WeakMap(),
      },
    ];
  });
}

interface PopProbe extends Probe {
  readonly rig: Rig;
  /** Of a matrix those by which the way of a root is measured. */
  readonly axes: readonly number[];
  /** Metres to what hangs on the joint. */
  readonly lever: number;
  readonly metresPerUnit: number;
  readonly fps: number;
  readonly step: number;
  /** The leaps of motions that were looked at. */
  readonly known: WeakMap<SeenMotion, Uint8Array>;
}

function popAt(seen: SeenMotion, f: number, probe: PopProbe): number {
  // Of a few frames alone, as they are seen to tell causes, all of it counts.
  if (seen.frames.length <= 2 * probe.step + 1) return swing(seen, f, probe);
  return leapAt(seen, f, probe) === CALM ? 0 : swing(seen, f, probe);
}

const isMildAt = (seen: SeenMotion, f: number, probe: PopProbe): boolean => leapAt(seen, f, probe) === LEAPS;

/** The acceleration of the farthest point, in metres a second squared. */
function swing(
  seen: SeenMotion,
  f: number,
  { joint, rig, axes, lever, metresPerUnit, fps, step }: PopProbe,
): number {
  if (f < step || f + step >= seen.frames.length) return 0;
  const rate = (fps / step) ** 2;
  const turned = lever * secondTurn(seen, f, step, joint) * rate;
  if (rig.joints[joint].parent >= 0) return turned;
  return Math.max(turned, secondMove(seen, f, step, joint, axes) * metresPerUnit * rate);
}

function leapAt(seen: SeenMotion, f: number, probe: PopProbe): number {
  const { known, rig, joint, axes, lever, metresPerUnit, fps, step } = probe;
  let leaps = known.get(seen);
  if (!leaps) {
    leaps = leapsOf(seen, rig, joint, axes, lever / metresPerUnit, fps, step);
    known.set(seen, leaps);
  }
  return leaps[f];
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
    const a = seen.matrices[matrixAt(seen, f - step, joint) + axis];
    const b = seen.matrices[matrixAt(seen, f, joint) + axis];
    const c = seen.matrices[matrixAt(seen, f + step, joint) + axis];
    moved += (a - 2 * b + c) ** 2;
  }
  return Math.sqrt(moved);
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
