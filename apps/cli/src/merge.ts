import type { Layer, Project } from '@evlay/core';
import { type MergePlan, nameOfRun, planMerge } from '@evlay/core/bake';
import { mergedRun, putMerged } from '@evlay/core/edit';
import { FileError, quote } from '@evlay/core/format';
import { usualLimits } from '@evlay/core/keys';
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
  const limits = limitsOf(project.rig, flags) ?? usualLimits(project.rig);
  const { merged, joints, first, step, keys } = await mergedRun(
    plan,
    flags.everyFrame
      ? { file: besideName(out, 'merged.glb') }
      : { limits, findKeys: (rig, samples, wanted, job) => keysOnAllCores(rig, samples, wanted, job) },
    { onProgress: showProgress },
  );
  const origin = originOf(path, project);
  await writeStack(putMerged(project, plan, merged), origin, out, [
    ...(merged.take ? [merged.take] : []),
    ...(merged.others ?? []).map(({ take }) => take),
  ]);
  tellWarnings(warnings);
  if (!flags.json) return;
  const summary: Summary = {
    out,
    kind: plan.kind,
    layer: nameOfRun(project.layers, plan),
    merged: plan.merged.map(({ name }) => name),
    dropped: plan.dropped.map(({ name }) => name),
    joints,
    ...(keys && { keys: summaryOf(project.rig, keys, (k) => first + step * k) }),
    warnings,
  };
  process.stdout.write(`${JSON.stringify(summary)}\n`);
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
