import { keyed, NO_CONTENT, type Project, playing } from '@evlay/core';
import { oldBase, planMerge, type RunSamples, sampleRun, takeOfRun, wantedKeysOfRun } from '@evlay/core/bake';
import { freeTakeName, type Merged } from '@evlay/core/edit';
import { writtenTake } from '@evlay/core/format';
import {
  type KeyLimits,
  KeysCancelled,
  type KeysJob,
  keysFromSamples,
  layerChannels,
  type MotionError,
} from '@evlay/core/keys';

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

/** Milliseconds that are worked before a look whether to go on. */
const STRETCH = 20;
/** What part of the whole evaluating the run is. */
const EVALUATING = 0.3;

/** Works out what a run of layers becomes. Throws `KeysCancelled`, and `BakeError` for people. */
export async function mergedRun(
  project: Project,
  { from, to, limits }: MergeJob,
  { makers, signal, onProgress }: Required<KeysJob>,
): Promise<MergeResult> {
  const plan = planMerge(project, from, to);
  if (typeof plan === 'string') throw new Error(plan);
  const steps = sampleRun(plan);
  let run: RunSamples | undefined;
  while (!run) {
    for (const end = performance.now() + STRETCH; performance.now() < end && !run; ) {
      const step = steps.next();
      if (step.done) run = step.value;
      else onProgress(EVALUATING * (step.value ?? 0));
    }
    await new Promise((resolve) => setTimeout(resolve));
    if (signal.aborted) throw new KeysCancelled();
  }
  const { rig, metresPerUnit, layers } = plan.project;
  const { first, step } = run.plan;
  const about = {
    first,
    step,
    joints: [...new Set(run.tracks.map(({ joint }) => rig.joints[joint].name))],
  };
  const keptBase = to > from ? oldBase(plan, run.plan) : undefined;
  const before =
    keptBase &&
    writtenTake(keptBase, {
      name: freeTakeName(project, `${layers[0].name}, before`),
      file: 'base-before.glb',
      metresPerUnit,
    });
  if (!limits) {
    const motion = takeOfRun(plan, run);
    if (!motion) return { ...about, merged: { content: NO_CONTENT } };
    const { name } = layers[to];
    const take = writtenTake(motion, { name, file: `${fileOf(name)}-merged.glb`, metresPerUnit });
    return { ...about, merged: { content: playing(take.id, 'rest'), take, before } };
  }
  const keys = await keysFromSamples(rig, run.after, wantedKeysOfRun(plan, run, limits), {
    makers,
    signal,
    onProgress: (done) => onProgress(EVALUATING + (1 - EVALUATING) * done),
  });
  return {
    ...about,
    merged: { content: keyed(layerChannels(rig, keys, first, step)), before },
    keys: { before: keys.before, after: keys.after, error: keys.error },
  };
}

/** A name as part of a file name. */
const fileOf = (name: string): string => name.replace(/[^\p{L}\p{N}_-]+/gu, '-').toLowerCase() || 'layers';
