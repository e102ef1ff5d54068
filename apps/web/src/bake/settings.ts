import { frameNumber, type Project } from '@evlay/core';
import { bakeRefusal, memoryRefusal, planBake } from '@evlay/core/bake';
import { writtenKind } from '@evlay/core/format';
import type { KeyLimits } from '@evlay/core/keys';
import type { Part } from '@evlay/core/rig';
import type { BakingIn } from '../commands/scene/bake.js';
import { castOf } from '../editor/cast.js';
import { stretches } from '../jobs/bake-pieces.js';
import type { BakeFrames } from '../workers/bake.worker.js';

/** What is to be baked and how, as it is chosen on the screen. */
export interface BakeSettings {
  /** The stack as it is shown, each of its variants, each stretch between two marks, or each character of the scene. */
  readonly what: 'stack' | 'variants' | 'marks' | 'characters';
  /** The character that is baked, by its index in the scene. */
  readonly character: number;
  /** Whether pieces become animations of one GLB. */
  readonly together: boolean;
  /** What the files of pieces are called. */
  readonly pattern: string;
  /** Whether the root stays where it began, and whether it lies on the floor. */
  readonly onTheSpot: boolean;
  readonly travels: 'root' | 'hips' | undefined;
  readonly range: readonly [number, number];
  readonly rate: number;
  /** The kind of file, by its id. */
  readonly format: string;
  readonly props: boolean;
  /** Whether a GLB gets few keys, no further off than `limits`, in place of every sample. */
  readonly few: boolean;
  /** Whether few keys are joined straight and not by curves. */
  readonly straight: boolean;
  readonly limits: KeyLimits;
  /** On which frames a bake into the project has samples or keys: `n` counts those of every nth. */
  readonly inFrames: BakeFrames['kind'];
  readonly nth: number;
  /** The parts whose joints are baked into the project; all where missing. */
  readonly parts?: readonly Part[];
}

/** What is baked into the project, as it is chosen. */
export function bakeInJob(
  { parts: own }: Pick<Project, 'parts'>,
  { range, rate, onTheSpot, travels, inFrames, nth, parts, limits, character }: BakeSettings,
): BakingIn['job'] {
  const frames: BakeFrames =
    inFrames === 'nth'
      ? { kind: 'nth', n: nth }
      : inFrames === 'few'
        ? { kind: 'few', limits }
        : { kind: inFrames };
  const joints = parts && own.flatMap((part, j) => (parts.includes(part) ? j : []));
  return { range, fps: rate, onTheSpot, travels, frames, joints, character };
}

/** The pieces that are baked, by name. */
export const piecesOf = (
  project: Project,
  what: BakeSettings['what'],
): { name: string; range: readonly [number, number] }[] =>
  what === 'variants'
    ? project.variants.map(({ name, range }) => ({ name, range: range ?? project.range }))
    : what === 'marks'
      ? stretches(project)
      : what === 'characters'
        ? project.scene.characters.map((_, k) => ({ name: castOf(project, k).name, range: project.range }))
        : [];

/** Whether a kind of file can hold few keys in place of every sample. */
export const takesFewKeys = (format: string): boolean => typeof writtenKind(format).writes.keys !== 'string';

/** Bytes of a file that a browser is given to download. */
const MOST_BYTES = 4e9;

/** Why it cannot be baked, in words; undefined where it can. */
export function settingsRefusal(
  project: Project,
  { what, range, rate, format }: BakeSettings,
): string | undefined {
  // A zip, or a file of several animations, needs all of its files at once.
  const kind = writtenKind(format);
  const atOnce = what !== 'stack';
  const refusal = (of: readonly [number, number]) => {
    const plan = planBake(project, { range: of, fps: rate });
    return (
      bakeRefusal(project.rig, plan, kind, MOST_BYTES) ??
      (atOnce ? memoryRefusal(project.rig, plan) : undefined)
    );
  };
  const pieces = piecesOf(project, what);
  if (what !== 'stack') {
    if (pieces.length === 0)
      return what === 'marks' ? 'no stretch begins at a mark' : 'there are no variants';
    return pieces.map((piece) => refusal(piece.range)).find((one) => one !== undefined);
  }
  if (range[1] < range[0])
    return `the last frame, ${frameNumber(project, range[1])}, lies before the first, ${frameNumber(project, range[0])}`;
  return refusal(range);
}

export const samplesText = (count: number): string =>
  `${count.toLocaleString('en-GB')} ${count === 1 ? 'sample' : 'samples'}`;
