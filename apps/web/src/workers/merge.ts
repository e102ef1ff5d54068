import { keyed, NO_CONTENT, type Project, playing, type Take } from '@evlay/core';
import { type BakePlan, keysOfRun, oldBase, planMerge, sampleRun, takeOfRun } from '@evlay/core/bake';
import { freeTakeName, type Merged } from '@evlay/core/edit';
import { writtenTake } from '@evlay/core/format';
import {
  type KeyLimits,
  type KeysJob,
  keysFromSamples,
  layerChannels,
  type MotionError,
} from '@evlay/core/keys';
import { inSlices } from './slices.js';

/** A run of layers, by their places in the stack, and what it is to become: few keys, or a take with every frame. */
export interface MergeJob {
  readonly from: number;
  readonly to: number;
  /** How far keys may be off; every frame where missing. */
  readonly limits?: KeyLimits;
}

/** What a run becomes, to be put in its place. */
export interface MergeResult {
  readonly merged: Merged;
  /** Names of the joints that it drives. */
  readonly joints: readonly string[];
  /** Frame of sample 0, and frames from one sample to the next. */
  readonly first: number;
  readonly step: number;
  readonly keys?: { readonly before: number; readonly after: number; readonly error: MotionError };
}

/** What part of the whole evaluating the run is. */
const EVALUATING = 0.3;

/** Works out what a run of layers becomes. Throws `BakeCancelled`, `KeysCancelled`, and `BakeError` for people. */
export async function mergedRun(
  project: Project,
  { from, to, limits }: MergeJob,
  { makers, signal, onProgress }: Required<KeysJob>,
): Promise<MergeResult> {
  const plan = planMerge(project, from, to);
  if (typeof plan === 'string') throw new Error(plan);
  const run = await inSlices(sampleRun(plan), {
    signal,
    onProgress: (done) => onProgress(EVALUATING * done),
  });
  const { rig, metresPerUnit, layers } = plan.project;
  const { first, step } = run.plan;
  const about = {
    first,
    step,
    joints: [...new Set(run.tracks.map(({ joint }) => rig.joints[joint].name))],
  };
  const before = to > from ? takeOfOldBase(plan, run.plan) : undefined;
  if (!limits) {
    const motion = takeOfRun(plan, run);
    if (!motion) return { ...about, merged: { content: NO_CONTENT } };
    const { name } = layers[to];
    const take = writtenTake(motion, { name, file: `${fileOf(name)}-merged.glb`, metresPerUnit });
    return { ...about, merged: { content: playing(take.id, 'rest'), take, before } };
  }
  const keys = await keysOfRun(plan, run, limits, (wanted) =>
    keysFromSamples(rig, run.after, wanted, {
      makers,
      signal,
      onProgress: (done) => onProgress(EVALUATING + (1 - EVALUATING) * done),
    }),
  );
  return {
    ...about,
    merged: { content: keyed(layerChannels(rig, keys, first, step)), before },
    keys: { before: keys.before, after: keys.after, error: keys.error },
  };
}

/** A keyed base that goes, as a take that stays; undefined where a take holds it anyhow. */
export function takeOfOldBase(
  run: { readonly project: Project; readonly from: number },
  plan: BakePlan,
): Take | undefined {
  const { project } = run;
  const motion = oldBase(run, plan);
  return (
    motion &&
    writtenTake(motion, {
      name: freeTakeName(project, `${project.layers[0].name}, before`),
      file: 'base-before.glb',
      metresPerUnit: project.metresPerUnit,
    })
  );
}

/** A name as part of a file name. */
const fileOf = (name: string): string => name.replace(/[^\p{L}\p{N}_-]+/gu, '-').toLowerCase() || 'layers';
