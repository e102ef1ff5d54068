import { compileStack } from '../evaluate/compile.js';
import { baseOf, type Project } from '../layer/project.js';
import { rigHeight } from '../rig/pose.js';
import { characterOf } from '../rig/rig.js';
import { rootOf } from '../rig/topology.js';
import { roomForMotion, seeFrames } from './seen.js';

/** How a character stands on the floor of its scene, in its own unit. */
export interface Stand {
  /** The point of the floor on which it stands where the range begins. */
  readonly at: readonly [number, number, number];
  /** How far the floor of the scene lies above that point; negative where the character floats. */
  readonly under: number;
  /** How far it stands from the middle of the scene. */
  readonly away: number;
}

/** Frames of the range that are looked at. */
const LOOKS = 24;
/** The part of the looks at which it may be lower: a foot dips, a body lies down. */
const LOWER = 0.25;

/**
 * Where a character stands while its base plays, against `ground`, the middle of the floor. `lowest` finds from the global
 * matrices of all joints, 16 numbers each, how low a surface reaches; without it the lowest joint counts.
 */
export function standOf(project: Project, lowest = lowestJoint(project)): Stand {
  const stack = compileStack({ ...project, groups: [], layers: [{ ...baseOf(project), muted: false }] });
  const [first, last] = project.range;
  const looks = Math.min(LOOKS, Math.max(1, Math.floor(last - first) + 1));
  const frames = Array.from(
    { length: looks },
    (_, k) => first + ((last - first) * k) / Math.max(1, looks - 1),
  );
  const seen = roomForMotion(stack, [], frames);
  seeFrames(stack, [], seen, 0, looks);
  const size = 16 * seen.width;
  const lows = frames.map((_, f) => lowest(seen.matrices.subarray(size * f, size * (f + 1))));
  const root = 16 * rootOf(project.rig);
  const [x, y, z] = [
    seen.matrices[root + 12],
    lows.sort((a, b) => a - b)[Math.floor(LOWER * (looks - 1))],
    seen.matrices[root + 14],
  ];
  const ground = project.ground ?? [0, 0, 0];
  return { at: [x, y, z], under: ground[1] - y, away: Math.hypot(x - ground[0], z - ground[2]) };
}

/** The height of the lowest joint of the character. */
function lowestJoint({ rig }: Project): (matrices: Float64Array) => number {
  const joints = characterOf(rig).joints.length;
  return (matrices) => {
    let low = Number.POSITIVE_INFINITY;
    for (let j = 0; j < joints; j++) low = Math.min(low, matrices[16 * j + 13]);
    return low;
  };
}

/** Parts of the height by which a character may be under the floor or float above it, and heights it may be away. */
const SUNK = 0.04;
const FLOATS = 0.12;
const AWAY = 15;

/** Parts of a character that flies or swims. */
const FLIES = /wing|fin\d*$/i;

/**
 * What is wrong with where a character stands: it is off the floor, and it is far from the middle of the scene. One that
 * flies or swims may be above the floor.
 */
export function offItsPlace(project: Project, { under, away }: Stand): { floor: boolean; far: boolean } {
  const height = rigHeight(characterOf(project.rig));
  const flies = project.parts.some((part) => FLIES.test(part));
  return {
    floor: under > SUNK * height || (-under > FLOATS * height && !flies),
    far: height > 0 && away > AWAY * height,
  };
}
