import { takeOf } from '../layer/content.js';
import type { Project } from '../layer/project.js';
import { characterOfTake } from '../layer/scene.js';
import { playsOn } from '../match/fit.js';
import { DEGREES } from '../math/euler.js';
import { angleBetween } from '../math/quaternion.js';
import { compiledLimbs } from '../rig/compiled-limbs.js';
import { placeAll, placePose } from '../rig/placed.js';
import { restPose } from '../rig/pose.js';
import type { CompiledLimb } from '../rig/reach.js';
import { charactersOf, jointIndex, type Rig, sceneName } from '../rig/rig.js';
import { readSample } from '../take/sample.js';
import type { Take } from '../take/take.js';
import { bodyRanges } from './body-ranges.js';
import { matrixAt, type SeenMotion } from './seen.js';

/** How far joints ever go in the takes of a project. Degrees. */
export interface Ranges {
  /** Of each inner joint of a limb how far it bends, least and most; below 0 it is bent backwards. */
  readonly bends: ReadonlyMap<number, readonly [number, number]>;
  /** Of every joint how far it turns from rest at most. */
  readonly turns: ReadonlyMap<number, number>;
}

const axis = new Float64Array(3);

/** The signed angle between two bones about a hinge, in degrees: below 0 where they are bent the other way. */
function bendBetween(m: Float64Array, a: number, b: number, c: number, own: readonly number[]): number {
  const ux = m[b + 12] - m[a + 12];
  const uy = m[b + 13] - m[a + 13];
  const uz = m[b + 14] - m[a + 14];
  const vx = m[c + 12] - m[b + 12];
  const vy = m[c + 13] - m[b + 13];
  const vz = m[c + 14] - m[b + 14];
  const x = uy * vz - uz * vy;
  const y = uz * vx - ux * vz;
  const z = ux * vy - uy * vx;
  const angle = Math.atan2(Math.hypot(x, y, z), ux * vx + uy * vy + uz * vz);
  // The hinge turns with the upper joint; lengths do not matter for the side.
  for (let row = 0; row < 3; row++)
    axis[row] = m[a + row] * own[0] + m[a + 4 + row] * own[1] + m[a + 8 + row] * own[2];
  return (x * axis[0] + y * axis[1] + z * axis[2] < 0 ? -angle : angle) * DEGREES;
}

/** How far the inner joint `k` of a limb is bent at a frame of a seen motion. */
export const bendOf = ({ chain, hinges }: CompiledLimb, k: number, seen: SeenMotion, f: number): number =>
  bendBetween(
    seen.matrices,
    matrixAt(seen, f, chain[k]),
    matrixAt(seen, f, chain[k + 1]),
    matrixAt(seen, f, chain[k + 2]),
    hinges[k],
  );

const known = new WeakMap<
  Take,
  { readonly rig: Rig; readonly limbs: readonly CompiledLimb[]; readonly ranges: Ranges }
>();

/** Samples of a take that are looked at: many thousands say no more than some hundred. */
const LOOKS = 600;

function rangesIn(rig: Rig, limbs: readonly CompiledLimb[], take: Take, player: string): Ranges {
  const before = known.get(take);
  if (before?.rig === rig && before.limbs === limbs) return before.ranges;
  const placed = placePose(rig, restPose(rig));
  const own = restPose(take.rig);
  const rests = restPose(rig).rotations;
  const indices = take.rig.joints.map(({ name }) => jointIndex(rig, sceneName(player, name)));
  const bends = limbs.flatMap((limb) =>
    limb.chain.slice(1, -1).map(
      (joint, k): Bend => ({
        limb,
        k,
        joint,
        least: Number.POSITIVE_INFINITY,
        most: Number.NEGATIVE_INFINITY,
      }),
    ),
  );
  const turns = Float64Array.from(rig.joints, () => -1);
  const step = Math.max(1, Math.floor(take.count / LOOKS));
  for (let s = 0; s < take.count; s += step) {
    readSample(take, s, own);
    for (const [k, j] of indices.entries())
      if (j >= 0) copyTurn(own.rotations, 4 * k, placed.pose.rotations, 4 * j);
    placeAll(placed);
    for (const bend of bends) widen(bend, placed.matrices);
    for (const j of indices)
      if (j >= 0 && rig.joints[j].parent >= 0) widenTurn(turns, j, placed.pose.rotations, rests);
  }
  const ranges: Ranges = {
    bends: new Map(bends.map(({ joint, least, most }) => [joint, [least, most]])),
    turns: new Map([...turns.entries()].filter(([, most]) => most >= 0)),
  };
  known.set(take, { rig, limbs, ranges });
  return ranges;
}

/** How far the inner joint `k` of a limb bends. */
interface Bend {
  readonly limb: CompiledLimb;
  readonly k: number;
  readonly joint: number;
  least: number;
  most: number;
}

function widen(bend: Bend, matrices: Float64Array): void {
  const { chain, hinges } = bend.limb;
  const { k } = bend;
  const angle = bendBetween(matrices, 16 * chain[k], 16 * chain[k + 1], 16 * chain[k + 2], hinges[k]);
  bend.least = Math.min(bend.least, angle);
  bend.most = Math.max(bend.most, angle);
}

function widenTurn(turns: Float64Array, j: number, rotations: Float64Array, rests: Float64Array): void {
  turns[j] = Math.max(turns[j], angleBetween(rotations, 4 * j, rests, 4 * j) * DEGREES);
}

function copyTurn(from: Float64Array, i: number, to: Float64Array, o: number): void {
  for (let c = 0; c < 4; c++) to[o + c] = from[i + c];
}

/** Degrees that a joint turns at least in a take that shows how far it goes: less is what it does without being moved. */
const MOVES = 0.05;

/**
 * How far joints go in all takes that play on the character; those of limbs, and those that no take moves, such as fingers
 * that were not captured, at least as far as a body can. A walk does not show how far an arm goes up; how far a head turns a
 * performance shows. Undefined where there is no take.
 */
export function rangesOf(project: Project): Ranges | undefined {
  const { rig } = project;
  const limbs = compiledLimbs(rig, project.limbs);
  const used = new Set(project.layers.map((layer) => takeOf(layer)?.take));
  const characters = charactersOf(rig);
  const playerOf = (take: Take) => characters[characterOfTake(project.scene, take)];
  const takes = project.takes.filter((take) => used.has(take.id) || playsOn(playerOf(take).rig, take));
  if (takes.length === 0) return undefined;
  const bends = new Map<number, readonly [number, number]>();
  const turns = new Map<number, number>();
  for (const take of takes) {
    const own = rangesIn(rig, limbs, take, playerOf(take).name);
    for (const [j, [least, most]] of own.bends) {
      const [a, b] = bends.get(j) ?? [least, most];
      bends.set(j, [Math.min(a, least), Math.max(b, most)]);
    }
    for (const [j, most] of own.turns) turns.set(j, Math.max(turns.get(j) ?? 0, most));
  }
  const body = bodyRanges(rig);
  for (const [j, [least, most]] of bends)
    if (most - least < MOVES || body.limb[j]) bends.set(j, [least, Math.max(most, body.bends[j])]);
  for (const [j, most] of turns)
    if (most < MOVES || body.limb[j]) turns.set(j, Math.max(most, body.turns[j]));
  return { bends, turns };
}
