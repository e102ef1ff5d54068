import { keyed, newLayer } from '@evlay/core';
import { projectFromTake } from '@evlay/core/edit';
import { readAnyTake } from '@evlay/core/format';
import { layerChannels, usualLimits } from '@evlay/core/keys';
import { everyJoint } from '@evlay/core/take';
import { readFile, tellWarnings } from './files.js';
import { type LimitFlags, limitsOf, summaryOf } from './keys-summary.js';
import { keysOnAllCores } from './pool.js';
import { showProgress } from './report.js';
import { checkStackOut, writeStack } from './stack-out.js';

interface KeysFlags extends LimitFlags {
  out: string;
  clip?: string;
  json?: boolean;
}

/** `evlay keys`: a stack whose base holds a take as keys. */
export async function keysCommand(path: string, flags: KeysFlags): Promise<void> {
  const { out } = flags;
  const { take, warnings } = await readAnyTake(path, readFile(path), flags.clip);
  checkStackOut(path, out);
  const project = projectFromTake(take);
  const { rig } = project;
  const limits = limitsOf(rig, flags) ?? usualLimits(rig);
  const samples = everyJoint(take);
  const keys = await keysOnAllCores(
    rig,
    samples,
    { ...limits, space: 'euler' },
    { onProgress: showProgress },
  );
  const base = newLayer(take.name, 'override', { content: keyed(layerChannels(rig, keys, 0, 1)) });
  const isGlb = /\.glb$/i.test(path);
  const character = isGlb ? { id: take.source.id, bytes: take.source.bytes } : undefined;
  writeStack({ ...project, character, layers: [base] }, { folder: '.', ...(isGlb && { rig: path }) }, out);
  tellWarnings(warnings);
  if (flags.json)
    process.stdout.write(
      `${JSON.stringify({ out, frames: take.count, fps: 1 / take.interval, keys: summaryOf(rig, keys, (k) => k), warnings })}\n`,
    );
}
