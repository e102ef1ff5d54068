import type { Project } from '../layer/project.js';
import { DEGREES } from '../math/euler.js';
import { angleBetween } from '../math/quaternion.js';
import { compiledLimbs } from '../rig/compiled-limbs.js';
import type { CompiledLimb } from '../rig/reach.js';
import { positionsAtRest } from '../rig/rest.js';
import { characterOf, jointIndex, subtreeEnds } from '../rig/rig.js';
import { bodiesOf, pairsOf, penetration } from './bodies.js';
import type { Probe } from './probe.js';
import { bendOf, rangesOf } from './ranges.js';
import { matrixAt, rotationAt, type SeenMotion } from './seen.js';
import type { Standing } from './standing.js';

/** Points that stand, as they are read of a seen motion. */
interface Point {
  readonly joint: number;
  readonly offset: readonly number[];
  readonly floor: number;
}

const pointAt = (seen: SeenMotion, f: number, { joint, offset: [x, y, z] }: Point, row: number): number => {
  const m = matrixAt(seen, f, joint);
  const { matrices } = seen;
  return (
    matrices[m + row] * x + matrices[m + 4 + row] * y + matrices[m + 8 + row] * z + matrices[m + 12 + row]
  );
};

const pointsIn = ({ rig }: Project, { points }: Standing): Point[] =>
  points.flatMap(({ joint, end, floor }) => {
    const j = jointIndex(rig, joint);
    const offset = end === undefined ? [0, 0, 0] : rig.joints[j]?.ends[end];
    return j < 0 || !offset ? [] : [{ joint: j, offset, floor }];
  });

/** Indices of the frames of a seen motion that lie in a span. */
function framesIn({ frames }: SeenMotion, [from, to]: readonly [number, number]): [number, number] {
  let first = 0;
  while (first < frames.length && frames[first] < from - 1e-6) first++;
  let last = frames.length - 1;
  while (last >= 0 && frames[last] > to + 1e-6) last--;
  return [first, last];
}

/** Where the point that stands has come to at each frame of a span, across the floor, from its first frame on. */
function pathOf(seen: SeenMotion, points: readonly Point[], first: number, last: number): Float64Array {
  const path = new Float64Array(2 * Math.max(0, last - first + 1));
  for (let f = first; f < last; f++) {
    let best = points[0];
    let least = Number.POSITIVE_INFINITY;
    for (const point of points) {
      const height = pointAt(seen, f, point, 1) + pointAt(seen, f + 1, point, 1) - 2 * point.floor;
      if (height < least) [best, least] = [point, height];
    }
    for (const [k, row] of [0, 2].entries())
      path[2 * (f - first + 1) + k] =
        path[2 * (f - first) + k] + pointAt(seen, f + 1, best, row) - pointAt(seen, f, best, row);
  }
  return path;
}

/** Slides and heights of what stands. */
export function standingProbes(project: Project, standings: readonly Standing[]): Probe[] {
  const centimetres = 100 * project.metresPerUnit;
  return standings.flatMap((standing) => {
    const points = pointsIn(project, standing);
    const { chain } = standing.limb;
    const joint = chain[chain.length - 1];
    const looks = points.map((point) => point.joint);
    if (points.length === 0) return [];
    const paths = new WeakMap<SeenMotion, Map<number, Float64Array>>();
    const pathIn = (seen: SeenMotion, first: number, last: number): Float64Array => {
      const known = paths.get(seen) ?? new Map<number, Float64Array>();
      paths.set(seen, known);
      const path = known.get(first) ?? pathOf(seen, points, first, last);
      known.set(first, path);
      return path;
    };
    return standing.spans.flatMap((span): Probe[] => [
      {
        kind: 'slide',
        unit: 'cm',
        joint,
        looks,
        span,
        // How far the point that stands is from where it is in the middle of its way, by the sum of its steps.
        at(seen, f) {
          const [first, last] = framesIn(seen, span);
          const path = pathIn(seen, first, last);
          const i = f - first;
          let far = 0;
          for (let k = 0; k < path.length; k += 2)
            far = Math.max(far, Math.hypot(path[2 * i] - path[k], path[2 * i + 1] - path[k + 1]));
          return far * centimetres;
        },
      },
      ...(['below', undefined] as const).map(
        (more): Probe => ({
          kind: 'floor',
          unit: 'cm',
          joint,
          looks,
          span,
          around: 0,
          more,
          at(seen, f) {
            let low = Number.POSITIVE_INFINITY;
            for (const point of points) low = Math.min(low, pointAt(seen, f, point, 1) - point.floor);
            return Math.max(0, more === 'below' ? -low : low) * centimetres;
          },
        }),
      ),
    ]);
  });
}

/** Joints that are bent or turned further than any take of the project has them, or bent backwards. */
export function rangeProbes(project: Project): Probe[] {
  const { rig } = project;
  const limbs = compiledLimbs(rig, project.limbs).filter(({ name }) => name !== 'trunk' && name !== 'tail');
  const ranges = rangesOf(project);
  if (!ranges) return [];
  const bent = new Set<number>();
  const probes = limbs.flatMap((limb) =>
    limb.chain.slice(1, -1).flatMap((joint, k): Probe[] => {
      bent.add(joint);
      const [least, most] = ranges.bends.get(joint)!;
      const looks = [limb.chain[k], joint, limb.chain[k + 2]];
      const bend = (seen: SeenMotion, f: number) => bendOf(limb, k, seen, f);
      return [
        {
          kind: 'range',
          unit: 'degrees',
          joint,
          looks,
          around: 0,
          at: (seen, f) => Math.max(0, bend(seen, f) - most),
        },
        {
          kind: 'range',
          unit: 'degrees',
          joint,
          looks,
          around: 0,
          more: 'backwards',
          at: (seen, f) => Math.max(0, Math.min(0, least) - bend(seen, f)),
        },
      ];
    }),
  );
  const rest = rig.joints.map(({ rotation }) => [...rotation]);
  for (const [joint, most] of ranges.turns) {
    if (bent.has(joint)) continue;
    probes.push({
      kind: 'range',
      unit: 'degrees',
      joint,
      looks: [joint],
      around: 0,
      at: (seen, f) =>
        Math.max(
          0,
          angleBetween(seen.rotations, rotationAt(seen, f, joint), rest[joint], 0) * DEGREES - most,
        ),
    });
  }
  return probes;
}

/** A limb counts as straight from this part of its full length on: its inner joint moves fast there. */
export const STRAIGHT = 0.995;

/** Limbs that cannot reach what a target or a contact asks of them, or are so straight that their inner joint moves fast. */
export function stretchProbes(project: Project): Probe[] {
  const centimetres = 100 * project.metresPerUnit;
  const all = compiledLimbs(project.rig, project.limbs);
  return all.flatMap((limb, l): Probe[] => {
    const joint = limb.chain[limb.chain.length - 1];
    const gap = (seen: SeenMotion, f: number) => seen.gaps[f * all.length + l];
    return [
      {
        kind: 'stretch',
        unit: 'cm',
        joint,
        looks: limb.chain,
        around: 0,
        at: (seen, f) => (gap(seen, f) > 0 ? gap(seen, f) * centimetres : 0),
      },
      {
        kind: 'stretch',
        unit: 'cm',
        joint,
        looks: limb.chain,
        around: 0,
        more: 'straight',
        // By how much it is longer than it should be to bend calmly.
        at(seen, f) {
          if (Number.isNaN(gap(seen, f))) return 0;
          const { length, full } = lengthOf(limb, seen, f);
          return Math.max(0, length - STRAIGHT * full) * centimetres;
        },
      },
    ];
  });
}

function lengthOf({ chain }: CompiledLimb, seen: SeenMotion, f: number): { length: number; full: number } {
  const apart = (a: number, b: number) => {
    const [i, j] = [matrixAt(seen, f, a) + 12, matrixAt(seen, f, b) + 12];
    const m = seen.matrices;
    return Math.hypot(m[i] - m[j], m[i + 1] - m[j + 1], m[i + 2] - m[j + 2]);
  };
  let full = 0;
  for (let k = 1; k < chain.length; k++) full += apart(chain[k - 1], chain[k]);
  return { length: apart(chain[0], chain[chain.length - 1]), full };
}

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

/** Limbs, hands and body that pass through each other; those that touch at rest may. */
export function throughProbes(project: Project): Probe[] {
  const centimetres = 100 * project.metresPerUnit;
  const bodies = bodiesOf(characterOf(project.rig), compiledLimbs(project.rig, project.limbs), project.parts);
  return pairsOf(project.rig, bodies).map(
    ([a, b]): Probe => ({
      kind: 'through',
      unit: 'cm',
      joint: a.from,
      other: b.from,
      looks: [a.from, a.to, b.from, b.to],
      around: 0,
      at: (seen, f) => penetration(seen, f, a, b) * centimetres,
    }),
  );
}
