import { sceneOf } from '@evlay/core';
import { joinTakes } from '@evlay/core/edit';
import { FileError, readAnyTake } from '@evlay/core/format';
import { inSlices } from '@evlay/core/job';
import { unmatchedJoints } from '@evlay/core/take';
import { bakeOne, checkBake } from './bake.js';
import { readFile, tellWarnings } from './files.js';
import { showProgress } from './report.js';
import { checkStackOut, writeStack } from './stack-out.js';
import { checkStandardOutput } from './standard.js';

interface JoinFlags {
  out: string;
  within: number;
  json?: boolean;
}

/** `evlay join`: takes one after the other, as one motion or as layers of a stack. */
export async function joinCommand(paths: readonly string[], flags: JoinFlags): Promise<void> {
  const { out, within } = flags;
  const [first] = paths;
  checkStandardOutput(out, { '--json': flags.json });
  if (paths.length < 2) throw new FileError(first, 'is one take, expected two or more to join');
  const asStack = /\.(json|evlay)$/i.test(out);
  if (asStack) checkStackOut(first, out);
  const read = await Promise.all(paths.map((path) => readAnyTake(path, readFile(path))));
  const { rig } = read[0].take;
  const warnings = read.flatMap((one) => one.warnings);
  for (const [k, { take }] of read.entries()) {
    const lacking = unmatchedJoints(take.rig, read[0].take);
    if (lacking.length === rig.joints.length)
      throw new FileError(
        paths[k],
        `none of its joints is called as one of ${first}, expected takes of one skeleton: see evlay fit`,
      );
    if (lacking.length > 0)
      warnings.push(`${lacking.join(', ')} are not in ${paths[k]}, and stay as they are`);
  }
  const takes = read.map(({ take }) => take);
  const joined = await inSlices(joinTakes(takes, within), { onProgress: showProgress });
  const isGlb = /\.glb$/i.test(first);
  const { source } = read[0].take;
  const figure = isGlb ? { id: source.id, bytes: source.bytes } : undefined;
  const project = { ...joined.project, scene: sceneOf(rig, figure) };
  if (asStack) await writeStack(project, { folder: '.', ...(isGlb && { rig: first }) }, out);
  else {
    const rigBake = { project, out, name: 'rig', character: 0 };
    checkBake(first, rigBake, flags);
    warnings.push(...(await bakeOne(rigBake, flags)).warnings);
  }
  tellWarnings([...new Set(warnings)]);
  if (!flags.json) return;
  const summary = {
    out,
    frames: project.range[1] + 1,
    fps: project.fps,
    seams: joined.seams.map(({ from, to, crossing: { frame, other, alignment, slide, held } }) => ({
      from,
      to,
      frame,
      other,
      distance: alignment.distance,
      slide,
      feetHeld: held !== undefined,
    })),
    warnings,
  };
  process.stdout.write(`${JSON.stringify(summary)}\n`);
}
