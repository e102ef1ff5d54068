import type { Channels, Project, Take } from '@evlay/core';
import {
  BakeCancelled,
  type BakeFormat,
  type BakePlan,
  type BakeRange,
  bakeInParts,
  bakeToFile,
  checkProps,
  everyNth,
  framesWithKeys,
  type JobOptions,
  keysOnFrames,
  type PartBaker,
  planBake,
  type RootMotion,
  shapeRoot,
  wantedKeys,
} from '@evlay/core/bake';
import {
  addMotion,
  bvhFormat,
  csvFormat,
  glbFormat,
  readGlbRig,
  writeGlb,
  writtenTake,
} from '@evlay/core/format';
import {
  type ErrorOverTime,
  errorOverTime,
  type KeyLimits,
  KeysCancelled,
  type KeysMaker,
  keysFromSamples,
  layerChannels,
  type MotionKeys,
  neededTracks,
} from '@evlay/core/keys';
import { characterOf, compareRigs, type Rig, type RigComparison } from '@evlay/core/rig';
import { ofJoints, type Samples } from '@evlay/core/take';
import { expose, type Remote, wrap } from 'comlink';
import { type ApartLayers, apartLayers, type Explained, explained } from './apart.js';
import { newBlobSink } from './blob-sink.js';
import { heldTakes } from './held-takes.js';
import { type MergeJob, type MergeResult, mergedRun, takeOfOldBase } from './merge.js';
import { type ProjectOutline, withTakes } from './outline.js';
import type { PartApi } from './part.worker.js';
import { inSlices } from './slices.js';

export interface BakeJob extends BakeRange, RootMotion {
  readonly format: BakeFormat;
  /** Whether the props go along into a GLB. */
  readonly props?: boolean;
  /** How far few keys may be off; every sample where missing. GLB only. */
  readonly limits?: KeyLimits;
  /** Whether few keys are joined straight and not by curves. */
  readonly straight?: boolean;
  /** What the motion is called in a GLB; the name of the project where missing. */
  readonly name?: string;
  /** A GLB that was baked before, to which this motion is added. */
  readonly onto?: Uint8Array;
  /** The file that the character came in, on which a GLB puts the motion. */
  readonly character?: Uint8Array;
}

export interface Baked {
  /** The file. Of a long one the browser keeps the bytes on the disk. */
  readonly file: Blob;
  readonly frames: number;
  /** Seconds from one sample to the next. */
  readonly interval: number;
  readonly warnings: readonly string[];
  readonly keys?: KeysFacts;
  /** How the joints in the file, as it is read back, compare with those that came in. */
  readonly compared?: RigComparison;
  /** How far the joints that are off by the most are off, a number for each so many seconds. */
  readonly over?: { readonly seconds: number; readonly joints: ErrorOverTime['joints'] };
}

/** Keys that every sample would be, and that there are, with the largest error and where it is. */
export type KeysFacts = Pick<MotionKeys, 'before' | 'after' | 'error'>;

/** On which frames a bake into the project has samples or keys. */
export type BakeFrames =
  | { readonly kind: 'every' }
  | { readonly kind: 'nth'; readonly n: number }
  /** Those on which a layer that plays has keys. */
  | { readonly kind: 'keys' }
  /** As few as keep within limits. */
  | { readonly kind: 'few'; readonly limits: KeyLimits };

/** A bake into the project, under a name. */
export interface BakeInJob extends BakeRange, RootMotion {
  readonly name: string;
  readonly as: 'take' | 'layer' | 'base';
  readonly frames: BakeFrames;
  /** The joints that are baked, by index; all where missing. */
  readonly joints?: readonly number[];
}

/** What was baked into the project: a take, or curves of a layer. */
export interface BakedIn {
  readonly take?: Take;
  readonly channels?: Channels;
  /** The base that was keyed, as a take, where it goes. */
  readonly before?: Take;
  readonly keys?: KeysFacts;
}

/** What a chart of error against keys is about. */
export interface ChartJob extends BakeRange, Pick<BakeJob, 'straight'> {
  readonly limits: KeyLimits;
}

/** Few keys within some limits: a point of the chart of error against keys. */
export interface KeysPoint extends KeysFacts {
  readonly limits: KeyLimits;
  /** Seconds from the beginning that were looked at; missing where it was the whole range. */
  readonly ofFirst?: number;
}

/** What part of the whole the evaluation is; the rest is writing the file. */
const EVALUATING = 0.7;
/** With few keys. */
const EVALUATING_FEW = 0.2;
/** Limits of a chart, as parts of those that are asked for, the asked ones first. */
const FACTORS = [1, 4, 0.25, 2, 0.5, 8];
/** Joints of samples that a chart looks at. */
const CHARTED = 40_000;

const { takes, api: shared } = heldTakes();
const held = new Set<string>();
let parts: Remote<PartApi>[] | undefined;
let signal = { aborted: false };

/** One worker a core; they live as long as this one. */
function partWorkers(): Remote<PartApi>[] {
  const count = Math.max(1, Math.min(16, navigator.hardwareConcurrency));
  parts ??= Array.from({ length: count }, () =>
    wrap<PartApi>(new Worker(new URL('./part.worker.ts', import.meta.url), { type: 'module' })),
  );
  return parts;
}

const keysMakers = (): KeysMaker[] => partWorkers().map((worker) => (block) => worker.keys(block));

/** Joints of the chart of error over time, and its points. */
const CHARTED_JOINTS = 4;
const CHARTED_POINTS = 240;

function overTime({ rig, parts }: Project, samples: Samples, keys: MotionKeys): Baked['over'] {
  const { stretch, joints } = errorOverTime(rig, parts, samples, keys, CHARTED_JOINTS, CHARTED_POINTS);
  return { seconds: stretch * samples.interval, joints };
}

const factsOf = ({ before, after, error }: MotionKeys): KeysFacts => ({ before, after, error });

/** A baker on every core, ready for a project. */
async function bakersOf(
  outline: ProjectOutline,
  plan: BakePlan,
  mine: { readonly aborted: boolean },
): Promise<PartBaker[]> {
  const workers = partWorkers();
  for (const { samples } of outline.takes) {
    if (held.has(samples)) continue;
    await Promise.all(workers.map((worker) => worker.hold(samples, takes.get(samples)!)));
    held.add(samples);
  }
  // What was asked meanwhile has its own stack there.
  if (mine.aborted) throw new BakeCancelled();
  await Promise.all(workers.map((worker) => worker.compile(outline)));
  return workers.map((worker) => (from, to) => worker.part(plan, from, to));
}

/** Evaluates a plan on every core. */
const sampled = async (
  outline: ProjectOutline,
  plan: BakePlan,
  mine: { readonly aborted: boolean },
  onProgress: (done: number) => void,
): Promise<Samples> =>
  bakeInParts(outline.rig, plan, await bakersOf(outline, plan, mine), { signal: mine, onProgress });

const pause = () => new Promise((resolve) => setTimeout(resolve));

/** What is asked last is done; what was asked before is given up. */
function begin(): { aborted: boolean } {
  signal.aborted = true;
  signal = { aborted: false };
  return signal;
}

/** The file on which a GLB puts the motion, and what it is called there. */
const placeOf = ({ name, metresPerUnit }: Project, { character, onto, props, ...job }: BakeJob) => ({
  onto: onto ?? character,
  options: {
    name: job.name ?? name,
    metresPerUnit: character ? 1 : metresPerUnit,
    props: props && onto === undefined,
  },
});

/** How the joints of a file, as it is read back, compare with those that came in. */
const comparedWith = (project: Project, { character }: BakeJob, rig: Rig): RigComparison =>
  compareRigs((character ? readGlbRig(character) : characterOf(project.rig)).joints, rig.joints);

/** Bakes every sample to a file that is written while it is made. */
async function writtenSamples(
  outline: ProjectOutline,
  project: Project,
  plan: BakePlan,
  job: BakeJob,
  own: Required<JobOptions>,
): Promise<Pick<Baked, 'file' | 'warnings' | 'compared'>> {
  const { rig } = project;
  const shape = { count: plan.count, interval: 1 / plan.rate };
  const { onto, options } = placeOf(project, job);
  const format =
    job.format === 'glb'
      ? glbFormat(rig, shape, options, onto)
      : job.format === 'bvh'
        ? bvhFormat(rig, shape)
        : csvFormat(rig, plan, shape.interval);
  const sink = newBlobSink();
  const bakers = await bakersOf(outline, plan, own.signal);
  const shaping = () => shapeRoot(rig, job);
  const written = await bakeToFile(format, plan, bakers, sink, { ...own, shaping });
  return {
    file: sink.file(),
    warnings: written.warnings,
    ...(written.rig && { compared: comparedWith(project, job, written.rig()) }),
  };
}

/** Bakes few keys within some limits to a GLB. */
async function writtenKeys(
  outline: ProjectOutline,
  project: Project,
  plan: BakePlan,
  job: BakeJob,
  limits: KeyLimits,
  { onProgress, signal: own }: Required<JobOptions>,
): Promise<Omit<Baked, 'frames' | 'interval'>> {
  const { rig } = project;
  const all = await sampled(outline, plan, own, (done) => onProgress(done * EVALUATING_FEW));
  const samples = shapeRoot(rig, job)(all);
  const keys = await keysFromSamples(
    rig,
    samples,
    { ...limits, space: 'quaternion', wanted: wantedKeys(project, plan), straight: job.straight },
    {
      makers: keysMakers(),
      signal: own,
      onProgress: (done) => onProgress(EVALUATING_FEW + (1 - EVALUATING_FEW) * done),
    },
  );
  const { onto, options } = placeOf(project, job);
  const bytes = onto ? addMotion(onto, rig, keys, options) : writeGlb(rig, keys, options);
  return {
    file: new Blob([bytes]),
    warnings: [],
    compared: comparedWith(project, job, readGlbRig(bytes)),
    keys: factsOf(keys),
    over: overTime(project, samples, keys),
  };
}

/** What a bake into the project holds. */
async function bakedIn(
  outline: ProjectOutline,
  project: Project,
  job: BakeInJob,
  own: Required<JobOptions>,
): Promise<BakedIn> {
  const { rig, metresPerUnit } = project;
  const { as, frames, name, range = project.range } = job;
  const joints = job.joints && new Set(job.joints);
  const shape = shapeRoot(rig, job);
  if (frames.kind === 'keys' || (frames.kind === 'nth' && as !== 'take')) {
    const on = frames.kind === 'keys' ? framesWithKeys(project, range) : everyNth(range, frames.n);
    return { channels: await inSlices(keysOnFrames(project, { frames: on, joints, shape }), own) };
  }
  const fps = frames.kind === 'nth' ? project.fps / frames.n : job.fps;
  const plan = planBake(project, { range, fps });
  const all = await sampled(outline, plan, own.signal, (done) => own.onProgress(done * EVALUATING));
  const samples = shape(all);
  if (frames.kind !== 'few') {
    if (as === 'base') checkProps(rig, all);
    const motion = { ...(joints ? ofJoints(samples, joints) : samples), rig };
    return { take: writtenTake(motion, { name, file: 'bake.glb', metresPerUnit }) };
  }
  const keys = await keysFromSamples(
    rig,
    samples,
    {
      ...frames.limits,
      space: 'euler',
      wanted: wantedKeys(project, plan),
      ...(joints && { tracks: neededTracks(rig, samples).filter(({ joint }) => joints.has(joint)) }),
    },
    {
      makers: keysMakers(),
      signal: own.signal,
      onProgress: (done) => own.onProgress(EVALUATING + (1 - EVALUATING) * done),
    },
  );
  return { channels: layerChannels(rig, keys, plan.first, plan.step), keys: factsOf(keys) };
}

const api = {
  ...shared,

  /** Lets go of all samples but those, in the workers that this one has too. */
  async keep(samples: readonly string[]): Promise<void> {
    await shared.keep(samples);
    for (const id of [...held]) if (!samples.includes(id)) held.delete(id);
    await Promise.all((parts ?? []).map((worker) => worker.keep(samples)));
  },

  /** Bakes a range to a file, on every core. Undefined when it was cancelled. */
  async bake(
    outline: ProjectOutline,
    job: BakeJob,
    onProgress: (done: number) => void,
  ): Promise<Baked | undefined> {
    const mine = begin();
    const project = withTakes(outline, takes);
    const plan = planBake(project, job);
    const { limits } = job;
    const own = { signal: mine, onProgress };
    try {
      const written = limits
        ? await writtenKeys(outline, project, plan, job, limits, own)
        : await writtenSamples(outline, project, plan, job, own);
      // The file is put together in one go; a cancel that came meanwhile is heard now.
      await pause();
      if (mine.aborted) return undefined;
      return { frames: plan.count, interval: 1 / plan.rate, ...written };
    } catch (error) {
      if (error instanceof BakeCancelled || error instanceof KeysCancelled) return undefined;
      throw error;
    }
  },

  /** Bakes a range into the project: as a take, or as curves. Undefined when it was cancelled. */
  async bakeIn(
    outline: ProjectOutline,
    job: BakeInJob,
    onProgress: (done: number) => void,
  ): Promise<BakedIn | undefined> {
    const own = { signal: begin(), onProgress };
    const project = withTakes(outline, takes);
    try {
      const baked = await bakedIn(outline, project, job, own);
      if (own.signal.aborted) return undefined;
      return job.as === 'base'
        ? { ...baked, before: takeOfOldBase({ project, from: 0 }, planBake(project, {})) }
        : baked;
    } catch (error) {
      if (error instanceof BakeCancelled || error instanceof KeysCancelled) return undefined;
      throw error;
    }
  },

  /**
   * Few keys for limits that are wider and narrower than some, each told as it is found. Long motions are looked at in part.
   * Ends early when something else is asked.
   */
  async chart(outline: ProjectOutline, job: ChartJob, found: (point: KeysPoint) => void): Promise<void> {
    const mine = begin();
    const project = withTakes(outline, takes);
    const whole = planBake(project, job);
    const count = Math.min(whole.count, Math.ceil(CHARTED / project.rig.joints.length));
    const plan = { ...whole, count };
    try {
      const samples = await sampled(outline, plan, mine, () => undefined);
      for (const factor of FACTORS) {
        const limits = { length: job.limits.length * factor, angle: job.limits.angle * factor };
        const keys = await keysFromSamples(
          project.rig,
          samples,
          { ...limits, space: 'quaternion', wanted: wantedKeys(project, plan), straight: job.straight },
          { makers: keysMakers(), signal: mine },
        );
        found({ ...factsOf(keys), limits, ...(count < whole.count && { ofFirst: count / whole.rate }) });
      }
    } catch (error) {
      if (!(error instanceof BakeCancelled || error instanceof KeysCancelled)) throw error;
    }
  },

  /** What the difference of a take from the base is made of. */
  explained: (outline: ProjectOutline, take: string): Explained => explained(withTakes(outline, takes), take),

  /** Layers over the base that give a take. Undefined when it was cancelled. */
  async apart(
    outline: ProjectOutline,
    take: string,
    count: number,
    onProgress: (done: number) => void,
  ): Promise<ApartLayers | undefined> {
    const mine = begin();
    try {
      const job = { makers: keysMakers(), signal: mine, onProgress };
      return await apartLayers(withTakes(outline, takes), take, count, job);
    } catch (error) {
      if (error instanceof KeysCancelled) return undefined;
      throw error;
    }
  },

  /** Works out what a run of layers becomes. Undefined when it was cancelled or something else is asked. */
  async merge(
    outline: ProjectOutline,
    job: MergeJob,
    onProgress: (done: number) => void,
  ): Promise<MergeResult | undefined> {
    const mine = begin();
    try {
      return await mergedRun(withTakes(outline, takes), job, {
        makers: keysMakers(),
        signal: mine,
        onProgress,
      });
    } catch (error) {
      if (error instanceof BakeCancelled || error instanceof KeysCancelled) return undefined;
      throw error;
    }
  },

  cancel(): void {
    signal.aborted = true;
  },
};

export type BakeApi = typeof api;

expose(api);
