import type { Project } from '@evlay/core';
import { bakeRefusal, planBake } from '@evlay/core/bake';
import { FileError, writeBvh, writeGlb, writeOnCharacter } from '@evlay/core/format';
import type { Samples } from '@evlay/core/take';
import { checkOut, openStack, tellWarnings, textBytes, writeFile } from './files.js';
import { bakeOnAllCores } from './pool.js';
import { showProgress } from './report.js';

interface BakeFlags {
  out: string;
  range?: [number, number];
  fps?: number;
  json?: boolean;
}

/** `evlay bake`: bakes a stack to a motion file. */
export async function bakeCommand(path: string, flags: BakeFlags): Promise<void> {
  const { project, warnings } = await openStack(path);
  checkOut(flags.out);
  const { range, fps } = flags;
  const format = /\.glb$/i.test(flags.out) ? 'glb' : 'bvh';
  const refused = bakeRefusal(project.rig, planBake(project, { range, fps }), format);
  if (refused) throw new FileError(path, refused);
  const samples = await bakeOnAllCores(project, { range, fps, onProgress: showProgress });
  const written = encode(flags.out, project, samples);
  writeFile(flags.out, written.pieces);
  const said = [...warnings, ...written.warnings];
  tellWarnings(said);
  if (flags.json) {
    const summary = {
      out: flags.out,
      joints: project.rig.joints.length,
      frames: samples.count,
      fps: 1 / samples.interval,
      seconds: (samples.count - 1) * samples.interval,
      warnings: said,
    };
    process.stdout.write(`${JSON.stringify(summary)}\n`);
  }
}

/** A baked motion in the format that the ending of its name says. */
function encode(
  path: string,
  project: Project,
  samples: Samples,
): { pieces: Iterable<Uint8Array>; warnings: readonly string[] } {
  const { rig, name, metresPerUnit } = project;
  if (/\.glb$/i.test(path)) {
    const { character } = project;
    const bytes = character
      ? writeOnCharacter(character.bytes, rig, samples, name)
      : writeGlb(rig, samples, { name, metresPerUnit });
    return { pieces: [bytes], warnings: [] };
  }
  const { pieces, warnings } = writeBvh(rig, samples);
  return { pieces: textBytes(pieces), warnings };
}
