import { followsOf } from '../match/fit.js';
import { quantile } from '../math/quantile.js';
import { isWithin, jointIndex, type Rig } from '../rig/rig.js';
import { rolesOf } from '../rig/roles.js';
import { guessMetresPerUnit } from '../rig/unit.js';
import type { Contact } from '../take/contacts.js';
import type { Mapping } from '../take/making.js';
import type { Motion } from '../take/reshape.js';
import { pathsOf, spotOf } from '../take/watch.js';
import { findContacts } from './contacts.js';

/** Seconds before and after a foot stands over which it comes to count. */
const FADE = 0.15;
/** Seconds at both ends of a stance in which a foot still comes down or goes up already. */
const ROLLS = 0.1;

/** A foot of the character and the foot of the capture that it follows. */
export interface Foot {
  /** The foot and its toes: what can stand. */
  readonly soles: readonly number[];
  /** Of them the outermost that follows a joint, and that joint. */
  readonly tip: number;
  readonly followed: number;
  /** The joint of the capture that the foot follows. */
  readonly heel: number;
  /** The joint that turns the whole leg, and the joint of the foot. */
  readonly thigh: number;
  readonly ankle: number;
  /** When the capture's foot stands. */
  readonly spans: readonly Contact[];
  /** Of each sample whether the capture's foot stands with its whole sole: as low as it ever does, heel and toes. */
  readonly flat: Uint8Array;
}

/** The feet of a character that follow one of a capture which ever stands. */
export function feetThatStand(motion: Motion, target: Rig, mapping: Mapping): Foot[] {
  const metres = guessMetresPerUnit(motion.rig);
  const { spans } = findContacts(motion, metres);
  const follows = followsOf(motion.rig, target, mapping);
  const roles = rolesOf(target);
  return roles.flatMap((role, joint): Foot[] => {
    const followed = follows[joint];
    if (!role || !/Foot$/.test(role.role) || followed < 0) return [];
    const stands = spans.filter((span) => jointIndex(motion.rig, span.joint) === followed);
    const soles = roles.flatMap((one, j) =>
      one && /Foot|Toes/.test(one.role) && isWithin(target, j, joint) ? [j] : [],
    );
    // The toes stay where they are longer than the heel does.
    const tip = soles.findLast((j) => follows[j] >= 0)!;
    let thigh = joint;
    while (thigh >= 0 && !/UpperLeg$/.test(roles[thigh]?.role ?? '')) thigh = target.joints[thigh].parent;
    const flat = flatAt(motion, [...new Set([followed, follows[tip]])], stands, FLAT / metres);
    return stands.length > 0
      ? [{ thigh, ankle: joint, tip, followed: follows[tip], heel: followed, soles, spans: stands, flat }]
      : [];
  });
}

/** Metres by which ankle and toes may be above where they usually are while a foot stands with its whole sole. */
const FLAT = 0.008;
/** Of all heights of a joint in stances so many are below what it is at with the whole sole down. */
const LOW = 0.25;

/** Marks the samples of stances at which all of some joints are about as low as they are in most of them. */
function flatAt(
  motion: Motion,
  joints: readonly number[],
  stands: readonly Contact[],
  most: number,
): Uint8Array {
  const flat = new Uint8Array(motion.count);
  for (const { from, to } of stands) flat.fill(1, from, to + 1);
  for (const path of pathsOf(motion, joints.map(spotOf))) dropHigh(flat, path, stands, most);
  return flat;
}

/** Takes the marks off samples of stances at which a path is higher than it is in most of them. */
function dropHigh(flat: Uint8Array, path: Float64Array, stands: readonly Contact[], most: number): void {
  const heights: number[] = [];
  for (const { from, to } of stands) for (let s = from; s <= to; s++) heights.push(path[3 * s + 1]);
  const low = quantile(heights, LOW);
  for (const { from, to } of stands)
    for (let s = from; s <= to; s++) if (!(path[3 * s + 1] - low <= most)) flat[s] = 0;
}

/** Marks the samples at which a foot stands with the whole sole: neither coming down nor going up. */
export function flatSamples({ spans, flat }: Foot, { interval, count }: Motion): Uint8Array {
  const rolls = ROLLS / interval;
  const whole = new Uint8Array(count);
  for (const { from, to } of spans)
    for (let s = Math.ceil(from + rolls); s <= to - rolls; s++) whole[s] = flat[s];
  return whole;
}

/** How much a foot counts at every sample: 1 while it stands, and smoothly less beside that, down to 0. */
export function weightsOf(spans: readonly Contact[], { count, interval }: Motion): Float64Array {
  const reach = FADE / interval;
  const out = new Float64Array(count);
  for (const { from, to } of spans)
    for (let s = Math.max(0, Math.ceil(from - reach)); s <= Math.min(count - 1, to + reach); s++) {
      const u = 1 - Math.max(0, from - s, s - to) / reach;
      out[s] = Math.max(out[s], u * u * (3 - 2 * u));
    }
  return out;
}
