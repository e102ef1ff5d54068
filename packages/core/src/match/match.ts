import { globalMatrices, restPose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import { type Ground, rolesOf } from '../rig/roles.js';
import type { Mapping } from '../take/making.js';
import { chainOf, STEMS } from './share-chain.js';

/** Which joint of a capture a joint of the character follows, and how sure that is. */
export interface Match {
  /** Index of the joint of the character. */
  readonly target: number;
  /** Index of the joint of the capture, -1 for none. */
  readonly source: number;
  /** From 0, a guess, to 1, the same joint; 0 where there is none. */
  readonly confidence: number;
}

const CONFIDENCE: Record<Ground, number> = { name: 0.95, position: 0.7, shape: 0.5 };
/** Where a chain has other joints than the other skeleton's, the nearest along it is taken. */
const ALONG = 0.8;

/**
 * Finds for every joint of a character the joint of a capture that it follows: one of the same name and role, one of
 * the same role, or along spine, neck and tail the one that is as far up.
 */
export function matchRigs(source: Rig, target: Rig): Match[] {
  const [from, to] = [rolesOf(source), rolesOf(target)];
  const byRole = new Map(from.flatMap((role, j) => (role ? [[role.role, j] as const] : [])));
  const byName = new Map(source.joints.map(({ name }, j) => [name, j]));
  const chains = new Map(STEMS.flatMap((stem) => [...alongChain(stem, source, target)]));
  return target.joints.map(({ name }, j) => {
    const role = to[j];
    const chained = chains.get(j);
    if (chained !== undefined) {
      const likely = Math.min(ALONG, CONFIDENCE[role!.by], CONFIDENCE[from[chained]!.by]);
      return { target: j, source: chained, confidence: source.joints[chained].name === name ? 1 : likely };
    }
    const same = byName.get(name);
    if (same !== undefined && from[same]?.role === role?.role)
      return { target: j, source: same, confidence: 1 };
    const found = role && byRole.get(role.role);
    if (found === undefined) return { target: j, source: -1, confidence: 0 };
    const confidence = Math.min(CONFIDENCE[role!.by], CONFIDENCE[from[found]!.by]);
    return { target: j, source: found, confidence };
  });
}

/** The mapping that matches make. */
export const mappingOf = (source: Rig, target: Rig, matches: readonly Match[]): Mapping =>
  Object.fromEntries(
    matches
      .filter((match) => match.source >= 0)
      .map((match) => [target.joints[match.target].name, source.joints[match.source].name]),
  );

/** For the joints of a chain those of another chain that lie as far along it; the last ones go together. */
export function alongChain(stem: string, source: Rig, target: Rig): Map<number, number> {
  const [a, b] = [source, target].map((rig) => chainOf(rolesOf(rig), stem));
  if (a.length === 0 || b.length === 0) return new Map();
  const [sa, sb] = [partsAlong(source, a), partsAlong(target, b)];
  return new Map(
    b.map((j, k) => {
      if (k === b.length - 1) return [j, a[a.length - 1]];
      const nearest = sa.reduce(
        (best, at, i) => (Math.abs(at - sb[k]) < Math.abs(sa[best] - sb[k]) ? i : best),
        0,
      );
      return [j, a[nearest]];
    }),
  );
}

/** How far along a chain each of its joints lies, from 0 at the first to 1 at the last. */
function partsAlong(rig: Rig, chain: readonly number[]): number[] {
  const matrices = globalMatrices(rig, restPose(rig), new Float64Array(16 * rig.joints.length));
  const position = (j: number) => matrices.subarray(16 * j + 12, 16 * j + 15);
  const lengths = [0];
  for (let k = 1; k < chain.length; k++) {
    const [p, q] = [position(chain[k - 1]), position(chain[k])];
    lengths.push(lengths[k - 1] + Math.hypot(q[0] - p[0], q[1] - p[1], q[2] - p[2]));
  }
  const whole = lengths[lengths.length - 1] || 1;
  return lengths.map((length) => length / whole);
}

/** Tells the skeletons of one source from others: a digest of the names and parents of its joints (FNV-1a). */
export function rigSignature(rig: Rig): string {
  let a = 0x811c9dc5;
  let b = 0x9e3779b9;
  for (const char of rig.joints.map(({ name, parent }) => `${name}<${parent}`).join('|')) {
    const code = char.codePointAt(0)!;
    a = Math.imul(a ^ code, 0x01000193);
    b = Math.imul(b ^ (code + 1), 0x01000193);
  }
  return [a, b].map((word) => (word >>> 0).toString(16).padStart(8, '0')).join('');
}
