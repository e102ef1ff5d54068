import { globalMatrices, pointInWorld, restPose } from '../rig/pose.js';
import { isWithin, jointIndex, type Rig } from '../rig/rig.js';
import { rolesOf } from '../rig/roles.js';
import {
  CONTACT_LIMITS,
  type Contact,
  type ContactLimits,
  type Contacts,
  tidyContacts,
} from '../take/contacts.js';
import type { Motion } from '../take/reshape.js';
import { readSample } from '../take/sample.js';

/** Seconds on both sides of a sample over which its speed is measured. */
const REACH = 0.025;
/** Gaps shorter than this, in seconds, are closed; contacts shorter than the second are none. */
const LONGEST_GAP = 0.07;
const SHORTEST = 0.1;
/** Of all heights of a point so many lie below its floor: the odd sample that dips does not move it. */
const LOW = 0.05;

/** A point of a foot: a joint, or the end of a chain that hangs on it. */
interface FootPoint {
  readonly joint: number;
  readonly offset: readonly number[];
  /** Points of other feet that are the same to them share their floor. */
  readonly kind: string;
}

/** The joints that are feet, of four legs the fore feet too, by name. Of hands only those on which a body walks. */
export function feetOf(rig: Rig): string[] {
  const roles = rolesOf(rig);
  const walksOnHands = rig.joints.some(({ name }) => /fore|front/i.test(name) && /paw|foot|hoof/i.test(name));
  return rig.joints.flatMap(({ name }, j) => {
    const role = roles[j]?.role ?? '';
    return /Foot$/.test(role) || (walksOnHands && /Hand$/.test(role)) ? [name] : [];
  });
}

/** The joints that are hands and do not walk, by name. */
export function handsOf(rig: Rig): string[] {
  const feet = feetOf(rig);
  return rolesOf(rig).flatMap((role, j) => {
    const { name } = rig.joints[j];
    return role && /Hand$/.test(role.role) && !feet.includes(name) ? [name] : [];
  });
}

/**
 * Finds the samples over which feet stand: a point of the foot is lower than the limit above its own floor, and slower
 * than the limit. Its floor is the lowest that it, or the same point of another foot, comes to but for the odd sample.
 * `joints` are names, the feet where missing.
 */
export function findContacts(
  motion: Motion,
  metresPerUnit: number,
  limits: ContactLimits = CONTACT_LIMITS,
  joints: readonly string[] = feetOf(motion.rig),
): Contacts {
  const feet = joints.map((name) => pointsOf(motion.rig, jointIndex(motion.rig, name)));
  const paths = pathsOf(motion, feet.flat());
  const floors = new Map<string, number>();
  for (const [p, { kind }] of feet.flat().entries()) {
    const heights = Float64Array.from({ length: motion.count }, (_, s) => paths[p][3 * s + 1]).sort();
    const low = heights[Math.floor(LOW * (motion.count - 1))];
    floors.set(kind, Math.min(floors.get(kind) ?? low, low));
  }
  const spans: Contact[] = [];
  let p = 0;
  for (const [f, points] of feet.entries()) {
    const stands = new Uint8Array(motion.count);
    for (const { kind } of points) {
      const path = paths[p++];
      const ceiling = floors.get(kind)! + limits.height / metresPerUnit;
      const fastest = limits.speed / metresPerUnit;
      for (let s = 0; s < motion.count; s++)
        if (path[3 * s + 1] <= ceiling && speedAt(path, s, motion) <= fastest) stands[s] = 1;
    }
    spans.push(...runs(stands, motion.interval).map(([from, to]) => ({ joint: joints[f], from, to })));
  }
  return { limits, joints, spans: tidyContacts(spans) };
}

/** The foot itself and all that hangs on it. */
function pointsOf(rig: Rig, foot: number): FootPoint[] {
  if (foot < 0) return [];
  const fore = /Hand$/.test(rolesOf(rig)[foot]?.role ?? '') ? 'fore' : 'hind';
  return rig.joints.flatMap(({ ends }, j) => {
    if (!isWithin(rig, j, foot)) return [];
    let depth = 0;
    for (let k = j; k !== foot; k = rig.joints[k].parent) depth++;
    return [
      { joint: j, offset: [0, 0, 0], kind: `${fore} ${depth}` },
      ...ends.map((offset) => ({ joint: j, offset, kind: `${fore} end ${depth}` })),
    ];
  });
}

/** Where points are in the scene at every sample, 3 numbers a sample. */
function pathsOf(motion: Motion, points: readonly FootPoint[]): Float64Array[] {
  const paths = points.map(() => new Float64Array(3 * motion.count));
  const pose = restPose(motion.rig);
  const matrices = new Float64Array(16 * motion.rig.joints.length);
  for (let s = 0; s < motion.count; s++) {
    readSample(motion, s, pose);
    globalMatrices(motion.rig, pose, matrices);
    for (const [p, { joint, offset }] of points.entries())
      paths[p].set(pointInWorld(matrices, joint, offset), 3 * s);
  }
  return paths;
}

/** Units a second, over a little while around a sample. */
function speedAt(path: Float64Array, s: number, { count, interval }: Motion): number {
  const reach = Math.max(1, Math.round(REACH / interval));
  const a = Math.max(0, s - reach);
  const b = Math.min(count - 1, s + reach);
  if (a === b) return 0;
  const way = [0, 1, 2].map((axis) => path[3 * b + axis] - path[3 * a + axis]);
  return Math.hypot(way[0], way[1], way[2]) / ((b - a) * interval);
}

/** Runs of samples that stand, first and last, gaps closed and what is too short left out. */
function runs(stands: Uint8Array, interval: number): [number, number][] {
  const found: [number, number][] = [];
  for (let s = 0; s < stands.length; s++) {
    if (!stands[s]) continue;
    const last = found[found.length - 1];
    if (last && (s - last[1] - 1) * interval <= LONGEST_GAP) last[1] = s;
    else found.push([s, s]);
  }
  const whole = stands.length - 1;
  return found.filter(([from, to]) => (to - from) * interval >= SHORTEST || (from === 0 && to === whole));
}
