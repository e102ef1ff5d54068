import { sceneOf } from '@evlay/core';
import { likenessOf, seenOf, startApart, takeApart } from '@evlay/core/bake';
import { projectFromTake } from '@evlay/core/edit';
import { FileError, readAnyTake } from '@evlay/core/format';
import { usualLimits } from '@evlay/core/keys';
import { unmatchedJoints } from '@evlay/core/take';
import { readFile, tellWarnings } from './files.js';
import { type LimitFlags, limitsOf, summaryOf } from './keys-summary.js';
import { withKeyThreads } from './pool.js';
import { showProgress } from './report.js';
import { checkStackOut, writeStack } from './stack-out.js';

/** Motions that are less alike than this are hardly versions of each other. */
const LITTLE = 0.3;
const LEFT = 'are they versions of one performance? Nearly all of it stands in what is left, frame by frame';

/** Components that explain less than this are not worth telling. */
const TOLD = 1e-4;

interface LayersFlags extends LimitFlags {
  out: string;
  count?: number;
  json?: boolean;
}

/** `evlay layers`: a stack whose layers over the original give the finished motion. */
export async function layersCommand(original: string, finished: string, flags: LayersFlags): Promise<void> {
  const { out, count } = flags;
  const [from, to] = [
    await readAnyTake(original, readFile(original)),
    await readAnyTake(finished, readFile(finished)),
  ];
  checkStackOut(original, out);
  const base = projectFromTake(from.take);
  const { rig } = base;
  const lacking = unmatchedJoints(to.take.rig, from.take);
  if (lacking.length === rig.joints.length)
    throw new FileError(
      finished,
      `none of its joints is called as one of ${original}, expected a motion of the same rig`,
    );
  const warnings = [
    ...from.warnings,
    ...to.warnings,
    ...(lacking.length > 0 ? [`${lacking.join(', ')} are not in ${finished}, and stay as they are`] : []),
  ];
  const start = startApart(base, to.take);
  const little = likenessOf(seenOf(start.project), start.finished) < LITTLE;
  const limits = limitsOf(rig, flags) ?? usualLimits(rig);
  const samples = start.finished.count * rig.joints.length;
  const apart = await withKeyThreads(samples, (makers) =>
    takeApart(start.project, start.finished, { ...limits, count }, { ...makers, onProgress: showProgress }),
  );
  const isGlb = /\.glb$/i.test(original);
  const figure = isGlb ? { id: from.take.source.id, bytes: from.take.source.bytes } : undefined;
  await writeStack(
    { ...apart.project, scene: sceneOf(rig, figure) },
    { folder: '.', ...(isGlb && { rig: original }) },
    out,
  );
  tellWarnings([
    ...warnings,
    ...(little ? [`${finished} has little in common with ${original}: ${LEFT}`] : []),
  ]);
  if (!flags.json) return;
  const { components, left, rest } = apart;
  const frameOf = (sample: number) => sample;
  const summary = {
    out,
    layers: apart.project.layers
      .slice(1, 1 + apart.count)
      .map(({ name }, k) => ({ name, part: components[k].parts.join(' and '), share: components[k].share })),
    components: components
      .filter(({ share }) => share > TOLD)
      .map(({ parts, share }) => ({ part: parts.join(' and '), share })),
    left: summaryOf(rig, { ...rest, error: left }, frameOf).error,
    keys: summaryOf(rig, rest, frameOf),
    warnings,
  };
  process.stdout.write(`${JSON.stringify(summary)}\n`);
}
