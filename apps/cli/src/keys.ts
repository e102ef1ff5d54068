import { compileStack, keyed, newLayer, type Project, sceneOf, type Take } from '@evlay/core';
import { bakeBlock } from '@evlay/core/bake';
import { projectFromTake, withKeyedBase } from '@evlay/core/edit';
import { readAnyTake, readGlbKeys } from '@evlay/core/format';
import { type KeyLimits, layerChannels, motionError, placesOf, usualLimits } from '@evlay/core/keys';
import { everyMember } from '@evlay/core/take';
import { readFile, tellWarnings } from './files.js';
import { type KeysSummary, type LimitFlags, limitsOf, summaryOf } from './keys-summary.js';
import { keysOnAllCores } from './pool.js';
import { showProgress } from './report.js';
import { checkStackOut, writeStack } from './stack-out.js';

interface KeysFlags extends LimitFlags {
  out: string;
  clip?: string;
  json?: boolean;
}

/** A project whose base holds keys, and what is told of them. */
interface Keyed {
  readonly project: Project;
  readonly keys: KeysSummary;
}

/** `evlay keys`: a stack whose base holds a take as keys. */
export async function keysCommand(path: string, flags: KeysFlags): Promise<void> {
  const { out } = flags;
  const bytes = readFile(path);
  const { take, warnings } = await readAnyTake(path, bytes, flags.clip);
  checkStackOut(path, out);
  const limits = limitsOf(take.rig, flags) ?? usualLimits(take.rig);
  const isGlb = /\.glb$/i.test(path);
  const own = isGlb ? withOwnKeys(take, bytes, limits) : undefined;
  const { project, keys } = own ?? (await withFewKeys(take, limits));
  const figure = isGlb ? { id: take.source.id, bytes: take.source.bytes } : undefined;
  await writeStack(
    { ...project, scene: sceneOf(project.rig, figure) },
    { folder: '.', ...(isGlb && { rig: path }) },
    out,
  );
  tellWarnings(warnings);
  if (!flags.json) return;
  const summary = { out, ownKeys: own !== undefined, frames: take.count, fps: project.fps, keys, warnings };
  process.stdout.write(`${JSON.stringify(summary)}\n`);
}

async function withFewKeys(take: Take, limits: KeyLimits): Promise<Keyed> {
  const project = projectFromTake(take);
  const { rig } = project;
  const wanted = { ...limits, space: 'euler' as const };
  const keys = await keysOnAllCores(rig, everyMember(take), wanted, { onProgress: showProgress });
  const base = newLayer(take.name, 'override', { content: keyed(layerChannels(rig, keys, 0, 1)) });
  return { project: { ...project, layers: [base] }, keys: summaryOf(rig, keys, (k) => k) };
}

/** The keys that a file has itself, where it is no recording and they are near enough to its samples. */
function withOwnKeys(take: Take, bytes: Uint8Array, limits: KeyLimits): Keyed | undefined {
  const found = readGlbKeys(bytes, take.source.clip);
  if (!found) return undefined;
  const project = withKeyedBase(projectFromTake(take), found);
  const { rig } = take;
  const step = take.interval * project.fps;
  const plan = { first: 0, step, count: take.count, rate: 1 / take.interval };
  const seen = bakeBlock(compileStack(project), plan, 0, take.count);
  const error = motionError(placesOf(rig, everyMember(take)), seen);
  if (error.length > limits.length || error.angle > limits.angle) return undefined;
  // A key is one joint's rotation, translation or scale at one time.
  const curves = Object.values(found.channels).flatMap((own) =>
    [own.rx, own.tx, own.sx].filter((one) => one),
  );
  const after = curves.reduce((sum, curve) => sum + curve!.keys.length, 0);
  const facts = { before: take.count * curves.length, after, error };
  return { project, keys: summaryOf(rig, facts, (k) => k * step) };
}
