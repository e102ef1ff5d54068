import { join, parse } from 'node:path';
import { camerasIn, type Project, withVariant } from '@evlay/core';
import {
  type BakePlan,
  bakeRefusal,
  bakerOfCharacter,
  bakeToFile,
  keysSource,
  lostInBake,
  planBake,
  wantedKeys,
  wantedOfCharacter,
} from '@evlay/core/bake';
import {
  endingsText,
  FileError,
  kindOf,
  quote,
  type ReadProject,
  WRITTEN_KINDS,
  type WriteOptions,
  type WrittenKind,
} from '@evlay/core/format';
import { findKeys, type KeyLimits, usualLimits } from '@evlay/core/keys';
import { characterOf, type Rig, rigOfCharacter } from '@evlay/core/rig';
import { checkOut, openStack, roomFor, tellWarnings, writeFileIn } from './files.js';
import { type KeysSummary, limitsOf, summaryOf } from './keys-summary.js';
import { withBakers, withKeyThreads } from './pool.js';
import { showProgress } from './report.js';
import { withSharedSamples } from './shared-samples.js';
import { checkStandardOutput } from './standard.js';

export interface BakeFlags {
  out: string;
  range?: [number, number];
  fps?: number;
  variant?: string;
  character?: string;
  props?: boolean;
  together?: boolean;
  tolerance?: number;
  angle?: number;
  straight?: boolean;
  json?: boolean;
  root?: string;
}

/** What a bake is asked for by name in place of one variant, or one character: each of all. */
export const ALL = 'all';

/** A stack whose files are let go of before anything is baked: then long takes are in memory once. */
async function openedForBaking(path: string, root: string | undefined): Promise<ReadProject> {
  const opened = await openStack(path, root);
  return { ...opened, project: withSharedSamples(opened.project) };
}

/** `evlay bake`: bakes a stack, one of its variants or characters or each of them, to motion files. */
export async function bakeCommand(path: string, flags: BakeFlags): Promise<void> {
  const { project, warnings } = await openedForBaking(path, flags.root);
  const { out, variant, character } = flags;
  checkStandardOutput(out, {
    '--json': flags.json,
    '--variant all': variant === ALL,
    '--character all': character === ALL,
  });
  const variants = project.variants.map(({ name }) => name);
  if (variant !== undefined && variant !== ALL && !variants.includes(variant))
    throw new FileError(path, `no variant is called ${quote(variant)}, expected ${listed(variants)}`);
  if (variant === ALL && variants.length === 0)
    throw new FileError(path, 'the stack has no variants, expected one at least');
  const players = playersOf(path, project, character);
  const shown = variant === ALL ? variants : [variant];
  const bakes = shown.flatMap((name) =>
    players.map((player): Bake => {
      const after = [variant === ALL ? name : undefined, character === ALL ? player.name : undefined];
      return {
        project: withVariant(project, name),
        out: after.reduce<string>((file, one) => (one === undefined ? file : outOf(file, one)), out),
        ...(name !== undefined && { variant: name }),
        ...player,
      };
    }),
  );
  const outs = bakes.map((bake) => bake.out);
  const twice = outs.find((one, k) => outs.indexOf(one) !== k);
  if (twice)
    throw new FileError(path, `two bakes would be written to ${quote(twice)}, expected names that differ`);
  // Whatever is wrong with one of them is said before any is written.
  for (const one of bakes) checkBake(path, one, flags);
  const lost = bakes.map((one) => lostInBake(one.project, kindOfOut(one.out), flags.props, one.character));
  tellWarnings([...new Set(lost.flat())]);
  const summaries: Summary[] = [];
  for (const one of bakes) summaries.push(await bakeOne(one, flags));
  const said = summaries.map((summary, k) => ({
    ...summary,
    warnings: [...warnings, ...summary.warnings],
    lost: lost[k],
  }));
  tellWarnings([...warnings, ...summaries.flatMap((summary) => summary.warnings)]);
  const many = variant === ALL || character === ALL;
  if (flags.json) process.stdout.write(`${JSON.stringify(many ? said : said[0])}\n`);
}

/** The characters that are asked for: the rig, one by its name, or all, with what each is called. */
export function playersOf(path: string, { scene }: Project, asked: string | undefined): Player[] {
  const all = scene.characters.map(({ name }, character): Player => ({ name: name || 'rig', character }));
  if (asked === undefined) return [all[0]];
  if (asked === ALL) return all;
  const found = all.slice(1).filter(({ name }) => name === asked);
  if (found.length === 0)
    throw new FileError(
      path,
      `no further character is called ${quote(asked)}, expected ${all.length > 1 ? listed(all.slice(1).map(({ name }) => name)) : 'a stack with further characters'}`,
    );
  return found;
}

/** A character that is baked, by its index in the scene. */
interface Player {
  readonly name: string;
  readonly character: number;
}

/** The file of a variant beside others: named after the file that was asked for, and after it. */
function outOf(out: string, variant: string): string {
  const { dir, name, ext } = parse(out);
  // What no file system takes, or takes for a folder, is left out.
  const safe = cutToBytes(
    variant.replace(/[^\p{L}\p{N} ._-]+/gu, '_').trim() || '_',
    LONGEST_NAME - name.length,
  );
  return join(dir, `${name}-${safe}${ext}`);
}

/** Bytes that the name of a file has at most where it is named after a variant, without its ending. */
const LONGEST_NAME = 200;

/** The beginning of a text that takes up to so many bytes in UTF-8. */
function cutToBytes(text: string, most: number): string {
  let cut = '';
  for (const char of text) {
    if (Buffer.byteLength(cut + char) > Math.max(8, most)) break;
    cut += char;
  }
  return cut;
}

const listed = (names: readonly string[]): string =>
  names.length === 0 ? 'a stack with variants' : `one of ${names.map(quote).join(', ')} or all`;

/** What was written, for programs. */
interface Summary {
  readonly out: string;
  readonly variant?: string;
  /** Of a scene of several characters which one. */
  readonly character?: string;
  readonly joints: number;
  readonly frames: number;
  readonly fps: number;
  readonly seconds: number;
  readonly keys?: KeysSummary;
  readonly warnings: readonly string[];
}

/** The kind of a file that is written; the ending was looked at when the call was read. */
export const kindOfOut = (out: string): WrittenKind => WRITTEN_KINDS.find((kind) => kind === kindOf(out))!;

/** The endings of kinds that can do something. */
const endingsOf = (can: (kind: WrittenKind) => boolean): string => endingsText(WRITTEN_KINDS.filter(can));

/** How a motion is written, on the file of the character where there is one. */
function optionsOf({ project, character }: Bake, { props }: BakeFlags): WriteOptions {
  const { name, first, metresPerUnit, scene } = project;
  const { figure } = scene.characters[character];
  const cameras = camerasIn(scene.props);
  return { name, first, metresPerUnit: figure ? 1 : metresPerUnit, props, cameras, onto: figure?.bytes };
}

/** The limits of few keys; undefined where every sample is asked for. */
const keyLimits = (rig: Rig, flags: BakeFlags): KeyLimits | undefined =>
  limitsOf(rig, flags) ?? (flags.straight ? usualLimits(rig) : undefined);

/** What is baked, of which character, and to which file. */
interface Bake extends Player {
  readonly project: Project;
  readonly out: string;
  readonly variant?: string;
}

/** Refuses a bake that cannot be written, before any work is done; `path` names where it comes from. */
export function checkBake(path: string, { project, out, character }: Bake, flags: BakeFlags): void {
  checkOut(out);
  const rig = rigOfCharacter(project.rig, character);
  const kind = kindOfOut(out);
  const { writes } = kind;
  if (flags.props && writes.props !== true)
    throw new FileError(
      out,
      `${writes.props}, expected a ${endingsOf((own) => own.writes.props === true)} for --props`,
    );
  if (flags.props && character > 0)
    throw new FileError(
      path,
      'props stand in the scene and a further character is baked in its own space, expected no --props',
    );
  const limits = keyLimits(rig, flags);
  if (limits && typeof writes.keys === 'string')
    throw new FileError(
      out,
      `${writes.keys}, expected a ${endingsOf((own) => typeof own.writes.keys !== 'string')} for --tolerance, --angle and --straight`,
    );
  const plan = planBake(project, flags);
  const refused = bakeRefusal(rig, plan, kind, roomFor(out));
  if (refused) throw new FileError(path, refused);
}

/** Bakes to a file, and says what was written. */
export async function bakeOne(one: Bake, flags: BakeFlags): Promise<Summary> {
  const { project, out, variant, character } = one;
  const plan = planBake(project, flags);
  const limits = keyLimits(rigOfCharacter(project.rig, character), flags);
  const written = limits ? await writeKeys(one, plan, limits, flags) : await writeSamples(one, plan, flags);
  return {
    out,
    ...(variant !== undefined && { variant }),
    ...(project.scene.characters.length > 1 && { character: one.name }),
    joints: characterOf(project.rig, character).joints.length,
    frames: plan.count,
    fps: plan.rate,
    seconds: (plan.count - 1) / plan.rate,
    ...written,
  };
}

/** Writes every sample while they are evaluated. */
async function writeSamples(one: Bake, plan: BakePlan, flags: BakeFlags): Promise<Pick<Summary, 'warnings'>> {
  const { project, out, character } = one;
  const { rig } = project;
  const times = { ...plan, interval: 1 / plan.rate };
  const format = kindOfOut(out).writes.format(rigOfCharacter(rig, character), times, optionsOf(one, flags));
  const { warnings } = await writeFileIn(out, (sink) =>
    withBakers(project, plan, (bakers) => {
      const own = bakers.map((baker) => bakerOfCharacter(rig, character, baker));
      return bakeToFile(format, plan, own, sink, { onProgress: showProgress });
    }),
  );
  return { warnings };
}

/** Writes few keys within some limits, which are found while the samples are evaluated. */
async function writeKeys(
  one: Bake,
  plan: BakePlan,
  limits: KeyLimits,
  flags: BakeFlags,
): Promise<Pick<Summary, 'keys' | 'warnings'>> {
  const { project, out, character } = one;
  const { straight } = flags;
  const rig = rigOfCharacter(project.rig, character);
  const { keys: write } = kindOfOut(out).writes;
  if (typeof write === 'string') throw new FileError(out, write);
  const wanted = {
    ...limits,
    space: 'quaternion' as const,
    wanted: wantedOfCharacter(project.rig, character, wantedKeys(project, plan)),
    straight,
  };
  const keys = await withBakers(project, plan, (bakers) =>
    withKeyThreads(plan.count * rig.joints.length, (makers) => {
      const own = bakers.map((baker) => bakerOfCharacter(project.rig, character, baker));
      return findKeys(rig, keysSource(plan, own), wanted, { ...makers, onProgress: showProgress });
    }),
  );
  const file = write(rig, keys, optionsOf(one, flags));
  await writeFileIn(out, async (sink) => {
    sink.begin();
    for (const range of file.ranges()) sink.write(range);
  });
  return { keys: summaryOf(rig, keys, (k) => plan.first + plan.step * k), warnings: [] };
}
