import type { Project } from '../layer/project.js';
import { DEGREES } from '../math/euler.js';
import { angleBetween } from '../math/quaternion.js';
import { compiledLimbs } from '../rig/compiled-limbs.js';
import type { CompiledLimb } from '../rig/reach.js';
import { ownName } from '../rig/rig.js';
import type { Probe } from './probe.js';
import { bendOf, rangesOf } from './ranges.js';
import { matrixAt, rotationAt, type SeenMotion } from './seen.js';

/** Joints that are bent or turned further than any take of the project has them, or bent backwards. */
export function rangeProbes(project: Project): Probe[] {
  const { rig } = project;
  const limbs = compiledLimbs(rig, project.limbs).filter(({ name }) => !/^(trunk|tail)$/.test(ownName(name)));
  const ranges = rangesOf(project);
  if (!ranges) return [];
  const bent = new Set<number>();
  const bends = limbs.flatMap((limb) =>
    limb.chain.slice(1, -1).flatMap((joint, k): BendProbe[] => {
      bent.add(joint);
      const [least, most] = ranges.bends.get(joint)!;
      const looks = [limb.chain[k], joint, limb.chain[k + 2]];
      return [
        {
          kind: 'range',
          unit: 'degrees',
          joint,
          looks,
          around: 0,
          at: bentBeyond,
          limb,
          k,
          most,
        },
        {
          kind: 'range',
          unit: 'degrees',
          joint,
          looks,
          around: 0,
          more: 'backwards',
          at: bentBack,
          limb,
          k,
          most: Math.min(0, least),
        },
      ];
    }),
  );
  const turns = [...ranges.turns].flatMap(([joint, most]): TurnProbe[] =>
    bent.has(joint)
      ? []
      : [
          {
            kind: 'range',
            unit: 'degrees',
            joint,
            looks: [joint],
            around: 0,
            at: turnedBeyond,
            rest: Float64Array.from(rig.joints[joint].rotation),
            most,
          },
        ],
  );
  return [...bends, ...turns];
}

/** The inner joint `k` of a limb, which bends by so many degrees at most. */
interface BendProbe extends Probe {
  readonly limb: CompiledLimb;
  readonly k: number;
  readonly most: number;
}

const bentBeyond = (seen: SeenMotion, f: number, { limb, k, most }: BendProbe): number =>
  Math.max(0, bendOf(limb, k, seen, f) - most);

const bentBack = (seen: SeenMotion, f: number, { limb, k, most }: BendProbe): number =>
  Math.max(0, most - bendOf(limb, k, seen, f));

/** A joint that turns by so many degrees from rest at most. */
interface TurnProbe extends Probe {
  readonly rest: Float64Array;
  readonly most: number;
}

const turnedBeyond = (seen: SeenMotion, f: number, { joint, rest, most }: TurnProbe): number =>
  Math.max(0, angleBetween(seen.rotations, rotationAt(seen, f, joint), rest, 0) * DEGREES - most);

/** Limbs that cannot reach what a target or a contact asks of them. */
export function stretchProbes(project: Project): Probe[] {
  const centimetres = 100 * project.metresPerUnit;
  const all = compiledLimbs(project.rig, project.limbs);
  return all.map(({ chain }, l): Probe => {
    const reaches = reachesOf(all.length, l);
    return {
      kind: 'stretch',
      unit: 'cm',
      joint: chain[chain.length - 1],
      looks: chain,
      around: 0,
      at: (seen, f) => Math.max(0, reaches(seen, f, 0)) * centimetres,
    };
  });
}

/** One of the 3 numbers of how a limb reaches; 0 where nothing asks it to. */
const reachesOf =
  (count: number, l: number) =>
  (seen: SeenMotion, f: number, which: number): number =>
    seen.reaches[3 * (f * count + l) + which] || 0;

/** A limb counts as straight from this part of its full length on. */
const STRAIGHT = 0.995;
/** From this angle on a direction is nearly opposite to where a limb bends, in degrees. */
const OPPOSITE = 170;

/**
 * Limbs whose inner joint moves far for a small move of what they reach for: that is inherent in how limbs bend. They are
 * nearly straight, or have to turn by nearly half a turn towards their direction, or were bent backwards and come round.
 */
export function snapProbes(project: Project): Probe[] {
  const centimetres = 100 * project.metresPerUnit;
  const all = compiledLimbs(project.rig, project.limbs);
  return all.flatMap((limb, l): Probe[] => {
    const reaches = reachesOf(all.length, l);
    const probe = (unit: Probe['unit'], more: Probe['more'], at: Probe['at']): Probe => ({
      kind: 'stretch',
      joint: limb.chain[limb.chain.length - 1],
      looks: limb.chain,
      around: 0,
      unit,
      more,
      at,
    });
    return [
      probe('cm', 'straight', (seen, f) => {
        // By how much it is longer than it should be to bend calmly.
        if (Number.isNaN(seen.reaches[3 * (f * all.length + l)])) return 0;
        const { length, full } = lengthOf(limb, seen, f);
        return Math.max(0, length - STRAIGHT * full) * centimetres;
      }),
      probe('degrees', 'opposite', (seen, f) => Math.max(0, reaches(seen, f, 2) * DEGREES - OPPOSITE)),
      probe('degrees', 'round', (seen, f) => reaches(seen, f, 1) * DEGREES),
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
