import { type Channels, camerasIn, type Project, type Take } from '@evlay/core';
import {
  type BakePlan,
  type BakeRange,
  type BlockBaker,
  bakeInBlocks,
  bakerOfCharacter,
  bakeToFile,
  checkProps,
  everyNth,
  framesWithKeys,
  keysOnFrames,
  keysSource,
  planBake,
  planMerge,
  type RootMotion,
  samplesOfCharacter,
  shapeRoot,
  wantedKeys,
  wantedOfCharacter,
} from '@evlay/core/bake';
import { type MergedRun, type MergeJob, mergedRun, takeOfOldBase } from '@evlay/core/edit';
import { readGlbRig, writtenKind, writtenTake } from '@evlay/core/format';
import { Cancelled, inSlices, type JobOptions, type Supervised, supervised } from '@evlay/core/job';
import {
  findKeys,
  type JointError,
  type KeyLimits,
  type KeysMaker,
  keysFromSamples,
  layerChannels,
  type MotionKeys,
  worstJoints,
} from '@evlay/core/keys';
import {
  characterOf,
  compareRigs,
  memberCount,
  ownerOfMember,
  type Parts,
  propsFrom,
  type Rig,
  type RigComparison,
  rigOfCharacter,
  topologyOf,
} from '@evlay/core/rig';
import { type Motion, ofMembers, type Samples, type Track } from '@evlay/core/take';
import type { Remote } from 'comlink';
import { type ApartLayers, apartLayers, type Explained, explained } from './apart.js';
import { newBlobSink } from './blob-sink.js';
import type { BlockApi } from './block.worker.js';
import { askWithTakes, keepTakes, startWorker } from './host.js';
import { type ProjectOutline, TRACK_KINDS } from './outline.js';
import { serve } from './serve.js';
import { takeCache } from './take-cache.js';

export interface BakeJob extends BakeRange, RootMotion {
  /** The kind of file, by its id. */
  readonly format: string;
  /** Whether the props go along into a GLB. */
  readonly props?: boolean;
  /** How far few keys may be off; every sample where missing. GLB only. */
  readonly limits?: KeyLimits;
  /** Whether few keys are joined straight and not by curves. */
  readonly straight?: boolean;
  /** Which character of the scene is baked, the first where missing. */
  readonly character?: number;
  /** What the motion is called in a GLB; the name of the project where missing. */
  readonly name?: string;
  /** A GLB that was baked before, to which this motion is added. */
  readonly onto?: Uint8Array;
  /** The file that the character came in, on which a GLB puts the motion. */
  readonly figure?: Uint8Array;
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
  readonly over?: { readonly seconds: number; readonly joints: readonly JointError[] };
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
  /** Which character of the scene a take is of, the first where missing. */
  readonly character?: number;
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

/** A run of layers that is to become one, by their places in the stack. */
export interface RunJob extends Pick<MergeJob, 'limits'> {
  readonly from: number;
  readonly to: number;
}

/** What a chart of error against keys is about. */
export interface ChartJob extends BakeRange, Pick<BakeJob, 'straight' | 'character'> {
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
/** Keys that a layer may have: each is some curves' keys, which are edited one by one. */
const MOST_LAYER_KEYS = 2_000_000;
/** Limits of a chart, as parts of those that are asked for, the asked ones first. */
const FACTORS = [1, 4, 0.25, 2, 0.5, 8];
/** Joints of samples that a chart looks at. */
const CHARTED = 40_000;

const { takes, api: shared, projectOf } = takeCache();
let parts: Supervised<Remote<BlockApi>>[] | undefined;

/** Numbers of samples that all workers together hold at most beside this one: half a gigabyte. */
const MOST_HELD = 64 * 1024 * 1024;

/** Workers that share the work, one a core, which live as long as this one; of long takes fewer, since each holds them all. */
function blockWorkers(of: readonly Take[] = []): Supervised<Remote<BlockApi>>[] {
  const count = Math.max(1, Math.min(16, navigator.hardwareConcurrency));
  parts ??= Array.from({ length: count }, () =>
    supervised(
      'shares the work of a bake',
      startWorker<BlockApi>(
        () => new Worker(new URL('./block.worker.ts', import.meta.url), { type: 'module' }),
      ),
    ),
  );
  const numbers = of.reduce(
    (sum, take) => sum + TRACK_KINDS.reduce((all, kind) => all + take[kind].values.length, 0),
    0,
  );
  return parts.slice(0, Math.max(1, Math.floor(MOST_HELD / Math.max(1, numbers))));
}

const keysMakers = (): KeysMaker[] =>
  blockWorkers().map(
    (worker): KeysMaker =>
      (block) =>
        worker.ask((port) => port.keys(block)),
  );

/** Joints of the chart of error over time, and its points. */
const CHARTED_JOINTS = 4;
const CHARTED_POINTS = 240;

/** The parts of the joints of a character, and of the props behind them. */
function ownPartsOf({ rig, parts }: Project, character: number): Parts {
  const { from, to } = topologyOf(rig).spans[character];
  return [...parts.slice(from, to), ...parts.slice(propsFrom(rig), rig.joints.length)];
}

const overTime = (parts: Parts, { over, interval }: MotionKeys): Baked['over'] =>
  over && { seconds: over.stretch * interval, joints: worstJoints(over, parts, CHARTED_JOINTS) };

const factsOf = ({ before, after, error }: MotionKeys): KeysFacts => ({ before, after, error });

/** Bakers on all cores, ready for a project. */
async function bakersOf(
  outline: ProjectOutline,
  plan: BakePlan,
  mine: { readonly aborted: boolean },
): Promise<BlockBaker[]> {
  const played = outline.takes.map(({ samples }) => takes.get(samples)!);
  const workers = blockWorkers(played);
  await Promise.all(workers.map((worker) => askWithTakes(worker, played, (port) => port.compile(outline))));
  if (mine.aborted) throw new Cancelled();
  return workers.map((worker): BlockBaker => {
    const ready = worker.running();
    return (from, to) => worker.ask((port) => port.part(outline.key, plan, from, to), ready);
  });
}

/** Evaluates a plan on every core. */
const sampled = async (
  outline: ProjectOutline,
  plan: BakePlan,
  mine: { readonly aborted: boolean },
  onProgress: (done: number) => void,
): Promise<Samples> =>
  bakeInBlocks(outline.rig, plan, await bakersOf(outline, plan, mine), { signal: mine, onProgress });

const pause = () => new Promise((resolve) => setTimeout(resolve));

/** What this worker does: of each kind what is asked last is done, and what was asked before is given up. */
export type BakeKind = 'file' | 'project' | 'chart' | 'apart' | 'merge';
const signals = new Map<BakeKind, { aborted: boolean }>();

function cancel(kind: BakeKind): void {
  const signal = signals.get(kind);
  if (signal) signal.aborted = true;
}

/** Does work of a kind; undefined where it was cancelled, or the same is asked anew. */
async function done<T>(
  kind: BakeKind,
  work: (signal: { readonly aborted: boolean }) => Promise<T>,
): Promise<T | undefined> {
  cancel(kind);
  const mine = { aborted: false };
  signals.set(kind, mine);
  try {
    const result = await work(mine);
    // What was put together in one go hears of a cancel now.
    await pause();
    return mine.aborted ? undefined : result;
  } catch (error) {
    if (error instanceof Cancelled) return undefined;
    throw error;
  }
}

/** The file on which a GLB puts the motion, and what it is called there. */
const placeOf = (
  { name, first, metresPerUnit, scene }: Project,
  { figure, onto, props, ...job }: BakeJob,
) => ({
  onto: onto ?? figure,
  options: {
    name: job.name ?? name,
    first,
    metresPerUnit: figure ? 1 : metresPerUnit,
    props: props && onto === undefined,
    cameras: camerasIn(scene.props),
  },
});

/** How the joints of a file, as it is read back, compare with those that came in. */
const comparedWith = (project: Project, { figure, character }: BakeJob, rig: Rig): RigComparison =>
  compareRigs((figure ? readGlbRig(figure) : characterOf(project.rig, character)).joints, rig.joints);

/** Bakes every sample to a file that is written while it is made. */
async function writtenSamples(
  outline: ProjectOutline,
  project: Project,
  plan: BakePlan,
  job: BakeJob,
  own: Required<JobOptions>,
): Promise<Pick<Baked, 'file' | 'warnings' | 'compared'>> {
  const character = job.character ?? 0;
  const rig = rigOfCharacter(project.rig, character);
  const { onto, options } = placeOf(project, job);
  const times = { ...plan, interval: 1 / plan.rate };
  const format = writtenKind(job.format).writes.format(rig, times, { ...options, onto });
  const sink = newBlobSink();
  const scene = await bakersOf(outline, plan, own.signal);
  const bakers = scene.map((baker) => bakerOfCharacter(project.rig, character, baker));
  const shaping = () => shapeRoot(rig, job);
  const written = await bakeToFile(format, plan, bakers, sink, { ...own, shaping });
  return {
    file: sink.file(),
    warnings: written.warnings,
    ...(written.rig && { compared: comparedWith(project, job, written.rig()) }),
  };
}

/** Bakes few keys within some limits to a file; no more samples are in memory than those for which keys are being found. */
async function writtenKeys(
  outline: ProjectOutline,
  project: Project,
  plan: BakePlan,
  job: BakeJob,
  limits: KeyLimits,
  own: Required<JobOptions>,
): Promise<Omit<Baked, 'frames' | 'interval'>> {
  const character = job.character ?? 0;
  const rig = rigOfCharacter(project.rig, character);
  const { keys: write } = writtenKind(job.format).writes;
  if (typeof write === 'string') throw new Error(`${write}.`);
  const wanted = wantedOfCharacter(project.rig, character, wantedKeys(project, plan));
  const scene = await bakersOf(outline, plan, own.signal);
  const bakers = scene.map((baker) => bakerOfCharacter(project.rig, character, baker));
  const keys = await findKeys(
    rig,
    keysSource(plan, bakers, shapeRoot(rig, job)),
    { ...limits, space: 'quaternion', wanted, straight: job.straight, stretches: CHARTED_POINTS },
    { ...own, makers: keysMakers() },
  );
  const { onto, options } = placeOf(project, job);
  const file = write(rig, keys, { ...options, onto });
  const sink = newBlobSink();
  sink.begin();
  for (const range of file.ranges()) sink.write(range);
  return {
    file: sink.file(),
    warnings: [],
    compared: comparedWith(project, job, file.rig()),
    keys: factsOf(keys),
    over: overTime(ownPartsOf(project, character), keys),
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
  if (frames.kind === 'few') {
    const wanted = wantedKeys(project, plan);
    const keys = await findKeys(
      rig,
      keysSource(plan, await bakersOf(outline, plan, own.signal), shape),
      { ...frames.limits, space: 'euler', wanted, members: joints, most: MOST_LAYER_KEYS },
      { ...own, makers: keysMakers() },
    );
    return { channels: layerChannels(rig, keys, plan.first, plan.step), keys: factsOf(keys) };
  }
  const all = await sampled(outline, plan, own.signal, (done) => own.onProgress(done * EVALUATING));
  if (as === 'base') checkProps(rig, all);
  const motion = takeMotion(project, shape(all), job.character ?? 0, joints);
  return { take: writtenTake(motion, { name, file: 'bake.glb', metresPerUnit }) };
}

/** Samples of the scene, or of some of its members, as a motion of the skeleton of one character. */
function takeMotion(
  { rig, scene }: Project,
  samples: Samples,
  character: number,
  joints: ReadonlySet<number> | undefined,
): Motion {
  const some = joints ? ofMembers(samples, rig.joints, joints) : samples;
  if (scene.characters.length === 1) return { ...some, rig };
  const { from, faceFrom } = topologyOf(rig).spans[character];
  const all = Array.from({ length: memberCount(rig) }, (_, member) => member);
  const own = all.filter(
    (member) => ownerOfMember(rig, member) === character && (joints?.has(member) ?? true),
  );
  const moved = ofMembers(samples, rig.joints, new Set(own));
  const back = (track: Track, first = from): Track => ({
    ...track,
    joints: track.joints.map((joint) => joint - first),
  });
  return {
    ...moved,
    rig: characterOf(rig, character),
    translations: back(moved.translations),
    rotations: back(moved.rotations),
    scales: back(moved.scales),
    faces: back(moved.faces, faceFrom),
  };
}

const api = {
  ...shared,

  /** Lets go of all samples but those, in the workers that this one has too. */
  async keep(samples: readonly string[]): Promise<void> {
    await shared.keep(samples);
    for (const worker of parts ?? []) keepTakes(worker, [...takes.values()]);
  },

  /** Bakes a range to a file, on every core. Undefined when it was cancelled. */
  bake(
    outline: ProjectOutline,
    job: BakeJob,
    onProgress: (done: number) => void,
  ): Promise<Baked | undefined> {
    return done('file', async (signal) => {
      const project = projectOf(outline);
      const plan = planBake(project, job);
      const { limits } = job;
      const own = { signal, onProgress };
      const written = limits
        ? await writtenKeys(outline, project, plan, job, limits, own)
        : await writtenSamples(outline, project, plan, job, own);
      return { frames: plan.count, interval: 1 / plan.rate, ...written };
    });
  },

  /** Bakes a range into the project: as a take, or as curves. Undefined when it was cancelled. */
  bakeIn(
    outline: ProjectOutline,
    job: BakeInJob,
    onProgress: (done: number) => void,
  ): Promise<BakedIn | undefined> {
    return done('project', async (signal) => {
      const project = projectOf(outline);
      const baked = await bakedIn(outline, project, job, { signal, onProgress });
      return job.as === 'base'
        ? { ...baked, before: takeOfOldBase({ project, from: 0 }, planBake(project, {})) }
        : baked;
    });
  },

  /**
   * Few keys for limits that are wider and narrower than some, each told as it is found. Long motions are looked at in part.
   * Ends early when another chart is asked.
   */
  async chart(outline: ProjectOutline, job: ChartJob, found: (point: KeysPoint) => void): Promise<void> {
    await done('chart', async (signal) => {
      const project = projectOf(outline);
      const whole = planBake(project, job);
      const count = Math.min(whole.count, Math.ceil(CHARTED / project.rig.joints.length));
      const plan = { ...whole, count };
      const character = job.character ?? 0;
      const rig = rigOfCharacter(project.rig, character);
      const scene = await sampled(outline, plan, signal, () => undefined);
      const samples = samplesOfCharacter(project.rig, character, scene);
      const wanted = wantedOfCharacter(project.rig, character, wantedKeys(project, plan));
      for (const factor of FACTORS) {
        const limits = { length: job.limits.length * factor, angle: job.limits.angle * factor };
        const keys = await keysFromSamples(
          rig,
          samples,
          { ...limits, space: 'quaternion', wanted, straight: job.straight },
          { makers: keysMakers(), signal },
        );
        found({ ...factsOf(keys), limits, ...(count < whole.count && { ofFirst: count / whole.rate }) });
      }
    });
  },

  /** What the difference of a take from the base is made of. */
  explained: (outline: ProjectOutline, take: string): Explained => explained(projectOf(outline), take),

  /** Layers over the base that give a take. Undefined when it was cancelled. */
  apart(
    outline: ProjectOutline,
    take: string,
    count: number,
    onProgress: (done: number) => void,
  ): Promise<ApartLayers | undefined> {
    return done('apart', (signal) =>
      apartLayers(projectOf(outline), take, count, { makers: keysMakers(), signal, onProgress }),
    );
  },

  /** Works out what a run of layers becomes. Undefined when it was cancelled or another one is asked. */
  merge(
    outline: ProjectOutline,
    { from, to, limits }: RunJob,
    onProgress: (done: number) => void,
  ): Promise<MergedRun | undefined> {
    return done('merge', async (signal) => {
      const plan = planMerge(projectOf(outline), from, to);
      if (typeof plan === 'string') throw new Error(plan);
      return mergedRun(
        plan,
        {
          limits,
          keepBase: true,
          findKeys: (rig, samples, wanted, own) =>
            keysFromSamples(rig, samples, wanted, { ...own, makers: keysMakers() }),
        },
        { signal, onProgress },
      );
    });
  },

  /** Gives up what is done of a kind. */
  cancel,
};

export type BakeApi = typeof api;

serve(api);
