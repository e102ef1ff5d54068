import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { withVariant } from '@evlay/core';
import { bakedScene, lostInBake } from '@evlay/core/bake';
import { FileError, kindOf, quote } from '@evlay/core/format';
import { ALL, type BakeFlags, bakeOne, checkBake, kindOfOut, playersOf } from './bake.js';
import { openStack, readFile, tellWarnings, writeFile } from './files.js';
import { checkStandardOutput } from './standard.js';

/** `evlay bake --together`: bakes all characters of a scene into one GLB, in which each stands where its frame has it. */
export async function bakeTogether(path: string, flags: BakeFlags): Promise<void> {
  const { out, variant, character, json } = flags;
  checkStandardOutput(out, { '--json': json });
  if (kindOf(out)?.id !== 'glb')
    throw new FileError(out, 'only a GLB holds several characters, expected a .glb for --together');
  if (variant === ALL || (character !== undefined && character !== ALL))
    throw new FileError(
      path,
      'one file holds all characters once, expected no --character and one --variant',
    );
  const { project: whole, warnings } = await openStack(path, flags.root);
  if (variant !== undefined && !whole.variants.some(({ name }) => name === variant))
    throw new FileError(path, `no variant is called ${quote(variant)}`);
  const project = withVariant(whole, variant);
  const folder = mkdtempSync(join(tmpdir(), 'evlay-'));
  try {
    const bakes = playersOf(path, project, ALL).map((player, k) => ({
      project,
      out: join(folder, `${k}.glb`),
      ...player,
    }));
    // Props stand in the scene, as the first character does.
    const own = (k: number): BakeFlags => ({ ...flags, props: flags.props && k === 0 });
    for (const [k, one] of bakes.entries()) checkBake(path, one, own(k));
    const lost = bakes.map((one, k) => lostInBake(project, kindOfOut(out), own(k).props, one.character));
    const characters = [];
    for (const [k, one] of bakes.entries()) characters.push(await bakeOne(one, own(k)));
    const joined = bakedScene(
      project,
      bakes.map(({ name }) => name),
      bakes.map((one) => readFile(one.out)),
    );
    await writeFile(out, joined.bytes);
    const told = [
      ...warnings,
      ...joined.warnings,
      ...characters.flatMap((one) => one.warnings),
      ...lost.flat(),
    ];
    tellWarnings([...new Set(told)]);
    const [{ frames, fps, seconds }] = characters;
    const summary = {
      out,
      ...(variant !== undefined && { variant }),
      frames,
      fps,
      seconds,
      characters: characters.map(({ character: name, joints, keys }) => ({
        name,
        joints,
        ...(keys && { keys }),
      })),
      warnings: [...new Set([...warnings, ...joined.warnings])],
      lost: [...new Set(lost.flat())],
    };
    if (json) process.stdout.write(`${JSON.stringify(summary)}\n`);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
