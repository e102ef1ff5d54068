import { keysOfRun, type MergePlan, oldBase, sampleRun, takeOfRun } from '../../bake/merge.js';
import type { BakePlan } from '../../bake/plan.js';
import { writtenTake } from '../../format/take-make.js';
import type { JobOptions } from '../../job/job.js';
import { inSlices } from '../../job/slices.js';
import type { KeyLimits } from '../../keys/fit-tracks.js';
import { keysFromSamples } from '../../keys/keys-from-samples.js';
import { layerChannels } from '../../keys/layer-keys.js';
import type { KeysWanted, MotionKeys } from '../../keys/motion-keys.js';
import { keyed, NO_CONTENT, playing } from '../../layer/content.js';
import { baseOf, type Project } from '../../layer/project.js';
import { memberName } from '../../rig/members.js';
import { charactersOf, type Rig } from '../../rig/rig.js';
import type { Samples, Take } from '../../take/take.js';
import { freeTakeName } from '../scene/takes.js';
import type { Merged } from './merge.js';

/** What a run of layers is to become: few keys, or a take with every frame. */
export interface MergeJob {
  /** How far keys may be off; every frame where missing. */
  readonly limits?: KeyLimits;
  /** The file of a take that is made; named after the layer where missing. */
  readonly file?: string;
  /** Whether a keyed base that goes stays as a take. */
  readonly keepBase?: boolean;
  /** Finds few keys, on as many threads as there are; on this one where missing. */
  readonly findKeys?: (
    rig: Rig,
    samples: Samples,
    wanted: KeysWanted,
    job: JobOptions,
  ) => Promise<MotionKeys>;
}

/** What a run becomes, to be put in its place. */
export interface MergedRun {
  readonly merged: Merged;
  /** Names of the joints and face channels that it drives. */
  readonly joints: readonly string[];
  /** Frame of sample 0, and frames from one sample to the next. */
  readonly first: number;
  readonly step: number;
  readonly keys?: Pick<MotionKeys, 'before' | 'after' | 'error'>;
}

/** What part of the whole evaluating the run is. */
const EVALUATING = 0.3;

/**
 * Works out what a run of layers becomes: it is sampled below and with its layers, and becomes a take or few keys, held to
 * their limits in the whole stack. Throws `Cancelled`, and `BakeError` for people.
 */
export async function mergedRun(
  plan: MergePlan,
  { limits, file, keepBase, findKeys = keysFromSamples }: MergeJob,
  { signal, onProgress }: JobOptions = {},
): Promise<MergedRun> {
  const run = await inSlices(sampleRun(plan), {
    signal,
    onProgress: (done) => onProgress?.(EVALUATING * done),
  });
  const { rig, metresPerUnit, layers } = plan.project;
  const { first, step } = run.plan;
  const about = {
    first,
    step,
    joints: [...new Set(run.tracks.map(({ member }) => memberName(rig, member)))],
  };
  const before = keepBase && plan.to > plan.from ? takeOfOldBase(plan, run.plan) : undefined;
  if (!limits) {
    const { name } = layers[plan.to];
    const made = charactersOf(rig).flatMap(({ name: of }, character) => {
      const motion = takeOfRun(plan, run, character);
      if (!motion) return [];
      const stem = file?.replace(/\.glb$/, '') ?? `${fileOf(name)}-merged`;
      const take = writtenTake(motion, {
        name: of === '' ? name : `${name}, ${of}`,
        file: of === '' ? `${stem}.glb` : `${stem}-${fileOf(of)}.glb`,
        metresPerUnit,
      });
      return [{ character, take, content: playing(take.id, 'rest', of === '' ? undefined : of) }];
    });
    // A base is the first character's, also where that rests.
    const own = plan.from === 0 ? made.find(({ character }) => character === 0) : made[0];
    const others = made.filter((one) => one !== own);
    return {
      ...about,
      merged: {
        ...(own ? { content: own.content, take: own.take } : { content: NO_CONTENT }),
        before,
        ...(others.length > 0 && { others }),
      },
    };
  }
  const keys = await keysOfRun(plan, run, limits, (wanted) =>
    findKeys(rig, run.after, wanted, {
      signal,
      onProgress: (done) => onProgress?.(EVALUATING + (1 - EVALUATING) * done),
    }),
  );
  const { before: all, after, error } = keys;
  return {
    ...about,
    merged: { content: keyed(layerChannels(rig, keys, first, step)), before },
    keys: { before: all, after, error },
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
      name: freeTakeName(project, `${baseOf(project).name}, before`),
      file: 'base-before.glb',
      metresPerUnit: project.metresPerUnit,
    })
  );
}

/** A name as part of a file name. */
const fileOf = (name: string): string => name.replace(/[^\p{L}\p{N}_-]+/gu, '-').toLowerCase() || 'layers';
