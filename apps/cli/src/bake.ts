import { join, parse } from 'node:path';
import { type Project, withVariant } from '@evlay/core';
import { bakeRefusal, planBake, wantedKeys } from '@evlay/core/bake';
import { FileError, quote, writeBvh, writeGlb, writeOnCharacter } from '@evlay/core/format';
import type { MotionKeys } from '@evlay/core/keys';
import { characterOf } from '@evlay/core/rig';
import type { Samples } from '@evlay/core/take';
import { checkOut, openStack, tellWarnings, textBytes, writeFile } from './files.js';
import { type KeysSummary, limitsOf, summaryOf } from './keys-summary.js';
import { bakeOnAllCores, keysOnAllCores } from './pool.js';
import { showProgress } from './report.js';

interface BakeFlags {
  out: string;
  range?: [number, number];
  fps?: number;
  variant?: string;
  props?: boolean;
  tolerance?: number;
  angle?: number;
  json?: boolean;
}

/** What a bake is asked for by name in place of one variant: each of all. */
const ALL = 'all';

/** `evlay bake`: bakes a stack, one of its variants or each of them to a motion file. */
export async function bakeCommand(path: string, flags: BakeFlags): Promise<void> {
  const { project, warnings } = await openStack(path);
  const { out, variant } = flags;
  const variants = project.variants.map(({ name }) => name);
  if (variant !== undefined && variant !== ALL && !variants.includes(variant))
    throw new FileError(path, `no variant is called ${quote(variant)}, expected ${listed(variants)}`);
  if (variant === ALL && variants.length === 0)
    throw new FileError(path, 'the stack has no variants, expected one at least');
  const bakes =
    variant === ALL
      ? variants.map((name) => ({
          project: withVariant(project, name),
          out: outOf(out, name),
          variant: name,
        }))
      : [{ project: withVariant(project, variant), out, variant }];
  const outs = bakes.map((bake) => bake.out);
  const twice = outs.find((one, k) => outs.indexOf(one) !== k);
  if (twice)
    throw new FileError(path, `two variants would be written to ${quote(twice)}, expected names that differ`);
  // Whatever is wrong with one of them is said before any is written.
  for (const one of bakes) {
    checkOut(one.out);
    const format = formatOf(one.out);
    if (flags.props && format === 'bvh')
      throw new FileError(one.out, 'BVH holds one skeleton and no props, expected a .glb for --props');
    if (limitsOf(one.project.rig, flags) && format === 'bvh')
      throw new FileError(one.out, 'BVH holds every frame, expected a .glb for --tolerance and --angle');
    const refused = bakeRefusal(one.project.rig, planBake(one.project, flags), format);
    if (refused) throw new FileError(path, refused);
  }
  const summaries: Summary[] = [];
  for (const one of bakes) summaries.push(await bakeOne(one, flags));
  const said = summaries.map((summary) => ({ ...summary, warnings: [...warnings, ...summary.warnings] }));
  tellWarnings([...warnings, ...summaries.flatMap((summary) => summary.warnings)]);
  if (flags.json) process.stdout.write(`${JSON.stringify(variant === ALL ? said : said[0])}\n`);
}

/** The file of a variant beside others: named after the file that was asked for, and after it. */
function outOf(out: string, variant: string): string {
  const { dir, name, ext } = parse(out);
  // What no file system takes, or takes for a folder, is left out.
  const safe = variant.replace(/[^\p{L}\p{N} ._-]+/gu, '_').trim() || '_';
  return join(dir, `${name}-${safe}${ext}`);
}

const listed = (names: readonly string[]): string =>
  names.length === 0 ? 'a stack with variants' : `one of ${names.map(quote).join(', ')} or all`;

/** What was written, for programs. */
interface Summary {
  readonly out: string;
  readonly variant?: string;
  readonly joints: number;
  readonly frames: number;
  readonly fps: number;
  readonly seconds: number;
  readonly keys?: KeysSummary;
  readonly warnings: readonly string[];
}

const formatOf = (out: string): 'glb' | 'bvh' => (/\.glb$/i.test(out) ? 'glb' : 'bvh');

async function bakeOne(
  { project, out, variant }: { readonly project: Project; readonly out: string; readonly variant?: string },
  flags: BakeFlags,
): Promise<Summary> {
  const { range, fps, props } = flags;
  const samples = await bakeOnAllCores(project, { range, fps, onProgress: showProgress });
  const limits = limitsOf(project.rig, flags);
  const keys =
    limits &&
    (await keysOnAllCores(
      project.rig,
      samples,
      { ...limits, space: 'quaternion', wanted: wantedKeys(project, planBake(project, flags)) },
      { onProgress: showProgress },
    ));
  const written = encode(out, project, samples, keys, props);
  writeFile(out, written.pieces);
  return {
    out,
    ...(variant !== undefined && { variant }),
    joints: characterOf(project.rig).joints.length,
    frames: samples.count,
    fps: 1 / samples.interval,
    seconds: (samples.count - 1) * samples.interval,
    ...(keys && { keys: summaryOf(project.rig, keys, (k) => frameOf(project, flags, k)) }),
    warnings: written.warnings,
  };
}

const frameOf = (project: Project, flags: BakeFlags, sample: number): number => {
  const { first, step } = planBake(project, flags);
  return first + step * sample;
};

/** A baked motion in the format that the ending of its name says. */
function encode(
  path: string,
  project: Project,
  samples: Samples,
  keys: MotionKeys | undefined,
  props = false,
): { pieces: Iterable<Uint8Array>; warnings: readonly string[] } {
  const { rig, name, metresPerUnit } = project;
  if (formatOf(path) === 'glb') {
    const { character } = project;
    const bytes = character
      ? writeOnCharacter(character.bytes, rig, keys ?? samples, name, props)
      : writeGlb(rig, keys ?? samples, { name, metresPerUnit, props });
    return { pieces: [bytes], warnings: [] };
  }
  const { pieces, warnings } = writeBvh(rig, samples);
  return { pieces: textBytes(pieces), warnings };
}
