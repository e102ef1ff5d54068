import { bake, writeBvh } from '@evlay/core';
import { openStack, writeFile } from './files.js';
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
  const samples = await bake(project, { range: flags.range, fps: flags.fps, onProgress: showProgress });
  const written = writeBvh(project.rig, samples);
  writeFile(flags.out, written.pieces);
  const said = [...warnings, ...written.warnings];
  for (const warning of said) process.stderr.write(`evlay: warning: ${warning}\n`);
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
