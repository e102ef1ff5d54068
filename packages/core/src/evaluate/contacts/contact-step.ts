import { type CompiledScalar, compileScalar } from '../../curve/evaluate.js';
import type { HeldContacts, StandingSpan } from '../../layer/held-contacts.js';
import type { Pose } from '../../rig/pose.js';
import type { CompiledLimb } from '../../rig/reach.js';
import { jointIndex, type Rig } from '../../rig/rig.js';
import { ownerOf, rootOf } from '../../rig/topology.js';

/** A point of a limb's end that can stand. */
export interface CompiledPoint {
  readonly joint: number;
  readonly offset: readonly number[];
  readonly floor: number;
}

/** A limb whose end stands over spans of frames. */
export interface CompiledHeld {
  readonly limb: CompiledLimb;
  readonly points: readonly CompiledPoint[];
  readonly spans: readonly StandingSpan[];
  /** For each span the frames over which its correction comes and goes. */
  readonly fades: readonly (readonly [number, number])[];
  /** The joint by which it counts: the last inner one. */
  readonly counts: number;
  /** The root of its character. */
  readonly root: number;
}

/** Holds feet (or hands) where they stand, whatever is below. */
export interface ContactStep {
  readonly kind: 'contacts';
  /** The joints that come down where a limb would not reach: the roots of the characters that it holds limbs of; none where nothing does. */
  readonly lowered: readonly number[];
  /** Frames on both sides over which the root comes down and goes up. */
  readonly ease: number;
  readonly limbs: readonly CompiledHeld[];
  /** How far ends turn back, and the layer whose turn they have: none where that is the lowest that has one. */
  readonly turn: CompiledScalar;
  readonly like: string | undefined;
  /** The joint on which they stand, in whose space all is measured; -1 for the world. */
  readonly space: number;
}

/** Evaluates what is below a layer at a frame into a pose that holds the rest. */
export type Below = (frame: number, pose: Pose) => void;

/** Makes the contacts of a layer ready; limbs and points that the rig does not have are left out. */
export function contactStep(
  { fade, hips, turn = 0, like, space, limbs: held }: HeldContacts,
  rig: Rig,
  limbs: readonly CompiledLimb[],
  fps: number,
): ContactStep {
  const known = Object.entries(held).flatMap(([name, { points, spans }]): CompiledHeld[] => {
    const limb = limbs.find((one) => one.name === name);
    const standing = points.flatMap(({ joint, end, floor }): CompiledPoint[] => {
      const j = jointIndex(rig, joint);
      const offset = end === undefined ? [0, 0, 0] : rig.joints[j]?.ends[end];
      return j < 0 || !offset ? [] : [{ joint: j, offset, floor }];
    });
    if (!limb || standing.length === 0) return [];
    return [
      {
        limb,
        points: standing,
        spans,
        fades: spans.map(([from, to], k) => [
          k === 0 ? fade : Math.min(fade, from - spans[k - 1][1]),
          k + 1 === spans.length ? fade : Math.min(fade, spans[k + 1][0] - to),
        ]),
        counts: limb.chain[limb.chain.length - 2],
        root: rootOf(rig, Math.max(0, ownerOf(rig, limb.chain[0]))),
      },
    ];
  });
  return {
    kind: 'contacts',
    lowered: hips ? [...new Set(known.map(({ root }) => root))] : [],
    ease: Math.max(1, Math.floor(0.2 * fps + 0.5)),
    turn: compileScalar(turn),
    like,
    space: space === undefined ? -1 : jointIndex(rig, space),
    limbs: known,
  };
}

/** The joints that contacts turn: all of each limb. */
export const jointsHeld = ({ limbs }: ContactStep): number[] => limbs.flatMap(({ limb }) => limb.chain);

/** How much span `k` of a limb counts at a frame: 1 inside, less beside it. */
export function spanCounts({ spans, fades }: CompiledHeld, k: number, frame: number): number {
  const [from, to] = spans[k];
  if (frame >= from && frame <= to) return 1;
  const off = frame < from ? from - frame : frame - to;
  const fade = fades[k][frame < from ? 0 : 1];
  if (off >= fade) return 0;
  const u = 1 - off / fade;
  return u * u * (3 - 2 * u);
}

/** Whether any span of a limb counts at a frame. */
export function countsAt(held: CompiledHeld, frame: number): boolean {
  for (let k = 0; k < held.spans.length; k++) if (spanCounts(held, k, frame) > 0) return true;
  return false;
}
