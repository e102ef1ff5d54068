import type { Parts } from '../rig/parts.js';
import { rigHeight } from '../rig/pose.js';
import type { CompiledLimb } from '../rig/reach.js';
import { positionsAtRest } from '../rig/rest.js';
import { charactersOf, jointChildren, ownName, type Rig } from '../rig/rig.js';
import { ownerOf } from '../rig/topology.js';
import { matrixAt, type SeenMotion } from './seen.js';

/** A bone as a body: from one joint to another, round, with a radius in units of the rig. */
export interface Body {
  readonly from: number;
  readonly to: number;
  readonly radius: number;
  /** What it belongs to: the name of a limb, or `trunk`; and of which character that is. */
  readonly of: string;
  readonly owner: number;
  /** Its place from the top of its limb down. */
  readonly depth: number;
}

/** Radii of bodies by their part, as parts of the character's height: slimmer than flesh, so that what grazes passes. */
function radiusOf(part: string): number {
  if (/torso|hips/.test(part)) return 0.06;
  if (/head/.test(part)) return 0.045;
  if (/Hand/.test(part)) return 0.014;
  if (/Arm/.test(part)) return 0.02;
  if (/Foot/.test(part)) return 0.02;
  if (/Leg/.test(part)) return 0.03;
  return 0.015;
}

/** The bodies of all characters: the bones of their trunks, and those of their limbs with what follows their ends. */
export function bodiesOf(rig: Rig, limbs: readonly CompiledLimb[], parts: Parts): Body[] {
  const heights = charactersOf(rig).map((one) => rigHeight(one.rig) * (one.frame?.scale ?? 1));
  const children = jointChildren(rig);
  const inTrunk = (j: number) => /^(hips|torso|neck|head)$/.test(ownName(parts[j]));
  const body = (from: number, to: number, of: string, depth: number): Body => {
    const owner = Math.max(0, ownerOf(rig, from));
    return { from, to, radius: heights[owner] * radiusOf(parts[from]), of, owner, depth };
  };
  const trunk = rig.joints.flatMap(({ parent }, to) =>
    parent >= 0 && inTrunk(parent) && inTrunk(to) ? [body(parent, to, 'trunk', 0)] : [],
  );
  const others = limbs.flatMap(({ name, chain }) => {
    if (/^(tail|trunk)$/.test(ownName(name))) return [];
    const bones = chain.slice(1).map((to, k) => [chain[k], to] as const);
    const end = chain[chain.length - 1];
    const beyond = children[end].find((child) => parts[child] === parts[end]) ?? children[end][0];
    const all = beyond === undefined ? bones : [...bones, [end, beyond] as const];
    return all.map(([from, to], depth) => body(from, to, name, depth));
  });
  return [...trunk, ...others];
}

/**
 * Pairs of bodies that must not pass through each other: of different limbs, or of a limb and the trunk, where they do not
 * hang together and do not touch at rest; and all of different characters.
 */
export function pairsOf(rig: Rig, bodies: readonly Body[]): [Body, Body][] {
  const places = positionsAtRest(rig);
  const rest = (a: Body, b: Body) => {
    const at = (j: number) => places.subarray(3 * j, 3 * j + 3);
    return segmentDistance(at(a.from), 0, at(a.to), 0, at(b.from), 0, at(b.to), 0);
  };
  const pairs: [Body, Body][] = [];
  for (const [i, a] of bodies.entries())
    for (const b of bodies.slice(i + 1)) {
      if (a.owner !== b.owner) {
        pairs.push([a, b]);
        continue;
      }
      if (a.of === b.of) continue;
      // The first bone of a limb lies in the trunk.
      if ((a.of === 'trunk' && b.depth === 0) || (b.of === 'trunk' && a.depth === 0)) continue;
      if (rest(a, b) > a.radius + b.radius) pairs.push([a, b]);
    }
  return pairs;
}

/** By how much two bodies lie in each other at a frame, in units of the rig; 0 where they do not. */
export function penetration(seen: SeenMotion, f: number, a: Body, b: Body): number {
  const { matrices: m } = seen;
  const radii = a.radius + b.radius;
  const from = matrixAt(seen, f, a.from) + 12;
  const to = matrixAt(seen, f, a.to) + 12;
  const other = matrixAt(seen, f, b.from) + 12;
  const end = matrixAt(seen, f, b.to) + 12;
  if (areFar(m, from, to, other, end, radii)) return 0;
  const apart = segmentDistance(m, from, m, to, m, other, m, end);
  return Math.max(0, radii - apart);
}

/** Whether the balls around two segments, made larger by both radii, do not touch: then nothing else has to be worked out. */
function areFar(m: Float64Array, p: number, q: number, r: number, s: number, radii: number): boolean {
  let across = 0;
  let one = 0;
  let other = 0;
  for (let axis = 0; axis < 3; axis++) {
    across += (m[p + axis] + m[q + axis] - m[r + axis] - m[s + axis]) ** 2;
    one += (m[q + axis] - m[p + axis]) ** 2;
    other += (m[s + axis] - m[r + axis]) ** 2;
  }
  // All are twice as long as half of the segments, so that nothing is halved.
  const reach = Math.sqrt(one) + Math.sqrt(other) + 2 * radii;
  return across > reach * reach;
}

const clamp = (value: number): number => Math.min(1, Math.max(0, value));

/** The distance of two segments (Ericson, Real-Time Collision Detection, 2005, section 5.1.9). */
export function segmentDistance(
  p: Float64Array,
  i: number,
  q: Float64Array,
  j: number,
  r: Float64Array,
  k: number,
  s: Float64Array,
  l: number,
): number {
  const ux = q[j] - p[i];
  const uy = q[j + 1] - p[i + 1];
  const uz = q[j + 2] - p[i + 2];
  const vx = s[l] - r[k];
  const vy = s[l + 1] - r[k + 1];
  const vz = s[l + 2] - r[k + 2];
  const wx = p[i] - r[k];
  const wy = p[i + 1] - r[k + 1];
  const wz = p[i + 2] - r[k + 2];
  const a = ux * ux + uy * uy + uz * uz;
  const e = vx * vx + vy * vy + vz * vz;
  const f = vx * wx + vy * wy + vz * wz;
  const c = ux * wx + uy * wy + uz * wz;
  const b = ux * vx + uy * vy + uz * vz;
  let t = 0;
  let o = 0;
  if (a > 1e-18 && e > 1e-18) {
    const d = a * e - b * b;
    t = d > 1e-18 ? clamp((b * f - c * e) / d) : 0;
    o = (b * t + f) / e;
    if (o < 0) {
      o = 0;
      t = clamp(-c / a);
    } else if (o > 1) {
      o = 1;
      t = clamp((b - c) / a);
    }
  } else if (a > 1e-18) t = clamp(-c / a);
  else if (e > 1e-18) o = clamp(f / e);
  const x = wx + t * ux - o * vx;
  const y = wy + t * uy - o * vy;
  const z = wz + t * uz - o * vz;
  return Math.sqrt(x * x + y * y + z * z);
}
