import { readScalar } from '../../curve/evaluate.js';
import { multiply, multiplyByInverse, multiplyInverse, slerp } from '../../math/quaternion.js';
import { orientJoint, type Placed, placeBelow, placeOfJoint } from '../../rig/placed.js';
import { copyPose, globalOrientations, type Pose, restPose } from '../../rig/pose.js';
import type { Rig } from '../../rig/rig.js';
import { type Below, type CompiledHeld, type ContactStep, spanCounts } from './contact-step.js';

/**
 * What turns the ends of limbs back to what they were before layers turned them: found when a frame near by is evaluated, and
 * kept until something below changes.
 */
export interface ContactTurns {
  readonly step: ContactStep;
  readonly rig: Rig;
  /** For each limb the layer up to which its end is like, or -1. */
  readonly like: readonly number[];
  /** For each limb and each of its spans the heading by which the performance stands otherwise than it did there. */
  readonly headings: (Float64Array | undefined)[][];
  /** For the frame that is evaluated: the orientation of each end, 4 numbers, and how far it turns to it. */
  readonly to: Float64Array;
  readonly by: Float64Array;
  readonly pose: Pose;
  readonly orientations: Float64Array;
  /** Where the space is on which they stand, by what is below, and how it is turned. */
  readonly origin: Float64Array;
  readonly spaceTurn: Float64Array;
}

export const newContactTurns = (step: ContactStep, rig: Rig, like: readonly number[]): ContactTurns => ({
  step,
  rig,
  like,
  headings: step.limbs.map(({ spans }) => spans.map(() => undefined)),
  to: new Float64Array(4 * step.limbs.length),
  by: new Float64Array(step.limbs.length),
  pose: restPose(rig),
  orientations: new Float64Array(4 * rig.joints.length),
  origin: new Float64Array(3),
  spaceTurn: new Float64Array(4),
});

const at = new Float64Array(1);
const turn = new Float64Array(1);

/**
 * Finds to which orientation each end turns at a frame, and how far. `below` evaluates all layers below, `upTo` those up to one.
 * Nothing of the frame itself may be under way.
 */
export function lookAtTurns(
  turns: ContactTurns,
  rest: Pose,
  below: Below,
  upTo: (end: number) => Below,
  frame: number,
): void {
  const { step, rig, like, headings, to, by, pose, orientations, origin, spaceTurn } = turns;
  by.fill(0);
  at[0] = frame;
  readScalar(step.turn, at, 0, turn, 0);
  const far = Math.min(1, Math.max(0, turn[0]));
  if (far === 0) return;
  const { space } = step;
  let shown = -1;
  let found = false;
  for (let l = 0; l < step.limbs.length; l++) {
    const held = step.limbs[l];
    const k = largestSpan(held, frame);
    if (k < 0 || like[l] < 0) continue;
    headings[l][k] ??= headingAt(turns, rest, below, upTo(like[l]), held, k);
    if (space >= 0 && !found) {
      copyPose(pose, rest);
      below(frame, pose);
      placeOfJoint(rig, pose, space, origin, spaceTurn);
      found = true;
    }
    // The ends of most limbs are like the same layer: it is evaluated once.
    if (shown !== like[l]) {
      copyPose(pose, rest);
      upTo(like[l])(frame, pose);
      globalOrientations(rig, pose, orientations);
      shown = like[l];
    }
    by[l] = far * spanCounts(held, k, frame);
    const { chain } = held.limb;
    const end = 4 * chain[chain.length - 1];
    if (space < 0) multiply(to, 4 * l, headings[l][k]!, 0, orientations, end);
    else {
      // As it is against the space there, and that as it is turned here.
      multiplyInverse(to, 4 * l, orientations, 4 * space, orientations, end);
      multiply(to, 4 * l, headings[l][k]!, 0, to, 4 * l);
      multiply(to, 4 * l, spaceTurn, 0, to, 4 * l);
    }
  }
}

/** The span that counts most at a frame, -1 where none does. */
function largestSpan(held: CompiledHeld, frame: number): number {
  let best = -1;
  let most = 0;
  for (let k = 0; k < held.spans.length; k++) {
    const counts = spanCounts(held, k, frame);
    if (counts > most) [best, most] = [k, counts];
  }
  return best;
}

/** How the root heads otherwise below the contacts than in what the end is like, in the middle of a span: a turn about Y. */
function headingAt(
  { rig, pose, origin, step: { space } }: ContactTurns,
  rest: Pose,
  below: Below,
  like: Below,
  held: CompiledHeld,
  k: number,
): Float64Array {
  const [from, to] = held.spans[k];
  const middle = (from + to) / 2;
  const turned = new Float64Array(4);
  const roots = [below, like].map((evaluate) => {
    copyPose(pose, rest);
    evaluate(middle, pose);
    const own = new Float64Array(4);
    placeOfJoint(rig, pose, held.root, origin, own);
    if (space < 0) return own;
    const above = new Float64Array(4);
    placeOfJoint(rig, pose, space, origin, above);
    multiplyInverse(own, 0, above, 0, own, 0);
    return own;
  });
  multiplyByInverse(turned, 0, roots[0], 0, roots[1], 0);
  // The twist about Y (Dobrowolski 2015); none where it is upside down.
  const length = Math.hypot(turned[1], turned[3]);
  if (length < 1e-12) return Float64Array.of(0, 0, 0, 1);
  return Float64Array.of(0, turned[1] / length, 0, turned[3] / length);
}

const turned = new Float64Array(4);

/** Turns the end of a limb back, as far as its contacts count; `alpha` is how much the layer counts there. */
export function turnBack(placed: Placed, { step, to, by }: ContactTurns, l: number, alpha: number): void {
  const part = alpha * by[l];
  if (part === 0) return;
  const { chain } = step.limbs[l].limb;
  const end = chain[chain.length - 1];
  slerp(turned, 0, placed.orientations, 4 * end, to, 4 * l, part);
  orientJoint(placed, end, turned);
  placeBelow(placed, end);
}
