import { finished, keyed, type Layer, NO_CONTENT, type Project, playing } from '@evlay/core';
import {
  keysOfRun,
  type MergePlan,
  planMerge,
  type RunSamples,
  sampleRun,
  takeOfRun,
} from '@evlay/core/bake';
import { type Merged, putMerged } from '@evlay/core/edit';
import { FileError, quote, writtenTake } from '@evlay/core/format';
import { layerChannels, type MotionKeys, usualLimits } from '@evlay/core/keys';
import { openStack, tellWarnings } from './files.js';
import { type KeysSummary, type LimitFlags, limitsOf, summaryOf } from './keys-summary.js';
import { keysOnAllCores } from './pool.js';
import { showProgress } from './report.js';
import { besideName, checkStackOut, originOf, writeStack } from './stack-out.js';

interface MergeFlags extends LimitFlags {
  from: string;
  to: string;
  out: string;
  everyFrame?: boolean;
  json?: boolean;
  root?: string;
}

/** What was merged, for programs. */
interface Summary {
  readonly out: string;
  readonly kind: MergePlan['kind'];
  readonly layer: string;
  readonly merged: readonly string[];
  readonly dropped: readonly string[];
  readonly joints: readonly string[];
  readonly keys?: KeysSummary;
  readonly warnings: readonly string[];
}

/** `evlay merge`: a stack in which a run of layers is one. */
export async function mergeCommand(path: string, flags: MergeFlags): Promise<void> {
  const { out } = flags;
  const { project, warnings } = await openStack(path, flags.root);
  const ends = [flags.from, flags.to].map((name) => indexOfLayer(path, project, name));
  const plan = planMerge(project, Math.min(...ends), Math.max(...ends));
  if (typeof plan === 'string') throw new FileError(path, plan);
  checkStackOut(path, out);
  const run = finished(sampleRun(plan));
  const { merged, made, keys } = flags.everyFrame
    ? everyFrame(plan, run, out)
    : await withKeys(plan, run, flags);
  const origin = originOf(path, project);
  await writeStack(putMerged(project, plan, merged), origin, out, made ? [made] : []);
  tellWarnings(warnings);
  if (!flags.json) return;
  const { joints } = project.rig;
  const summary: Summary = {
    out,
    kind: plan.kind,
    layer: project.layers[plan.to].name,
    merged: plan.merged.map(({ name }) => name),
    dropped: plan.dropped.map(({ name }) => name),
    joints: [...new Set(run.tracks.map(({ joint }) => joints[joint].name))],
    ...(keys && { keys: summaryOf(project.rig, keys, (k) => run.plan.first + run.plan.step * k) }),
    warnings,
  };
  process.stdout.write(`${JSON.stringify(summary)}\n`);
}

interface Result {
  readonly merged: Merged;
  readonly made?: NonNullable<Merged['take']>;
  readonly keys?: MotionKeys;
}

function everyFrame(plan: MergePlan, run: RunSamples, out: string): Result {
  const { project, to } = plan;
  const motion = takeOfRun(plan, run);
  if (!motion) return { merged: { content: NO_CONTENT } };
  const made = writtenTake(motion, {
    name: project.layers[to].name,
    file: besideName(out, 'merged.glb'),
    metresPerUnit: project.metresPerUnit,
  });
  return { merged: { content: playing(made.id, 'rest'), take: made }, made };
}

async function withKeys(plan: MergePlan, run: RunSamples, flags: MergeFlags): Promise<Result> {
  const { rig } = plan.project;
  const limits = limitsOf(rig, flags) ?? usualLimits(rig);
  const keys = await keysOfRun(plan, run, limits, (wanted) =>
    keysOnAllCores(rig, run.after, wanted, { onProgress: showProgress }),
  );
  return { merged: { content: keyed(layerChannels(rig, keys, run.plan.first, run.plan.step)) }, keys };
}

/** The place of a layer that is named by its id or, where that is unambiguous, its name. */
export function indexOfLayer(path: string, { layers }: Project, name: string): number {
  const byId = layers.findIndex(({ id }) => id === name);
  if (byId >= 0) return byId;
  const found = layers.flatMap((layer, k) => (layer.name === name ? [k] : []));
  if (found.length === 1) return found[0];
  const named = (list: readonly Layer[]) => list.map((layer) => quote(layer.name)).join(', ');
  throw new FileError(
    path,
    found.length === 0
      ? `no layer is called ${quote(name)}, expected one of ${named(layers)}`
      : `${found.length} layers are called ${quote(name)}, expected the id of one of them`,
  );
}
