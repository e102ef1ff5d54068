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
import { pathsOf, type Spot } from '../take/watch.js';
import { type CalmPath, calmPath } from './calm-path.js';

/**
 * Gaps shorter than this, in seconds, are closed; contacts shorter than the second are none. Both lie between the whole
 * numbers of samples of usual rates, so that it is not rounding that decides.
 */
const LONGEST_GAP = 0.073;
const SHORTEST = 0.0977;
/** Of all heights of a point so many lie below its floor: the odd sample that dips does not move it. */
const LOW = 0.05;
/** What stands already stands on where it is over a limit by so many deviations of its noise, which would cut it in two. */
const NOISE = 2.5;

/** A point of a foot: a joint, or the end of a chain that hangs on it. */
interface FootPoint extends Spot {
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
  const fastest = limits.speed / metresPerUnit;
  const paths = pathsOf(motion, feet.flat()).map((path) => calmPath(path, motion.interval, fastest));
  const floors = new Map<string, number>();
  for (const [p, { kind }] of feet.flat().entries()) {
    const heights = paths[p].heights.slice().sort();
    const low = heights[Math.floor(LOW * (motion.count - 1))];
    floors.set(kind, Math.min(floors.get(kind) ?? low, low));
  }
  const spans: Contact[] = [];
  let p = 0;
  for (const [f, points] of feet.entries()) {
    const stands = new Uint8Array(motion.count);
    for (const { kind } of limits.speed > 0 ? points : [])
      markStanding(stands, paths[p++], floors.get(kind)!, limits.height / metresPerUnit, fastest);
    spans.push(...runs(stands, motion.interval).map(([from, to]) => ({ joint: joints[f], from, to })));
  }
  return { limits, joints, spans: tidyContacts(spans) };
}

/** Marks the samples at which a point is low and slow: within the limits, or beside such a sample but for noise. */
function markStanding(
  stands: Uint8Array,
  { heights, speeds, heightNoise, speedNoise }: CalmPath,
  floor: number,
  highest: number,
  fastest: number,
): void {
  const noisyHeight = highest + NOISE * heightNoise;
  const noisySpeed = fastest + NOISE * speedNoise;
  for (let s = 0; s < stands.length; s++) {
    if (!(heights[s] - floor <= highest && speeds[s] <= fastest)) continue;
    for (let k = s; k >= 0 && heights[k] - floor <= noisyHeight && speeds[k] <= noisySpeed; k--)
      stands[k] = 1;
    for (; s < stands.length && heights[s] - floor <= noisyHeight && speeds[s] <= noisySpeed; s++)
      stands[s] = 1;
  }
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
