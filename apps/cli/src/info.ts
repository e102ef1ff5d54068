import { channelsOf, keyFrames, type Project, type Rig, type Take, takeOf } from '@evlay/core';
import { changeRate } from '@evlay/core/edit';
import { FileError, kindOf, readAnyTake, readGlbKeys } from '@evlay/core/format';
import { eventsOf } from '@evlay/core/kit';
import { facesOf, rigHeight } from '@evlay/core/rig';
import { type Samples, takeDuration } from '@evlay/core/take';
import { besideGltf, openStack, readFile } from './files.js';
import { projectsIn } from './projects.js';

interface InfoFlags {
  readonly json?: boolean;
  readonly root?: string;
  /** Whether the events of its motion are listed. */
  readonly events?: boolean;
  readonly fps?: number;
}

interface Info {
  [line: string]: unknown;
}

/** `evlay info`: what a file holds, as lines for people or as JSON. */
export async function infoCommand(path: string, flags: InfoFlags): Promise<void> {
  const info = { ...(await infoOf(path, flags.root)), ...(flags.events && (await eventsInfo(path, flags))) };
  if (flags.json) process.stdout.write(`${JSON.stringify(info)}\n`);
  else process.stdout.write(asText(info));
}

async function infoOf(path: string, root?: string): Promise<Info> {
  const kind = kindOf(path);
  if (kind?.readCharacter) {
    const bytes = readFile(path);
    const { rig, takes, warnings } = await kind.readCharacter(path, bytes, besideGltf(path));
    return {
      ...rigInfo(rig),
      ...(takes.length === 1 && {
        ...motionInfo(takes[0]),
        ...(kind.id === 'glb' && keysInfo(bytes, takes[0])),
      }),
      ...(takes.length > 1 && {
        animations: takes.map((take) => ({ name: take.name, ...motionInfo(take) })),
      }),
      bytes: bytes.length,
      warnings: [
        ...warnings,
        ...takes.flatMap((take) => (take.warnings ?? []).filter((one) => !warnings.includes(one))),
      ],
    };
  }
  if (kind?.readTake) {
    const bytes = readFile(path);
    const { take, warnings } = await readAnyTake(path, bytes);
    return { ...rigInfo(take.rig), ...motionInfo(take), bytes: bytes.length, warnings };
  }
  const { project, warnings } = await openStack(path, root);
  return { ...rigInfo(project.rig), ...stackInfo(project), warnings };
}

/** The events of the motion that a file holds, each with its frame: of a take at its own rate unless another is asked for. */
async function eventsInfo(path: string, { root, fps }: InfoFlags): Promise<Info> {
  const { projects } = await projectsIn(path, root);
  if (projects.length !== 1)
    throw new FileError(
      path,
      projects.length === 0
        ? 'there is no motion in it, expected one'
        : 'there are several motions in it, expected one for --events',
    );
  const [project] = projects;
  const counted = fps === undefined ? project : changeRate(project, fps);
  return { events: eventsOf(counted).map(({ name, frame }) => [name, Number(frame.toFixed(4))]) };
}

const rigInfo = (rig: Rig): Info => ({
  joints: rig.joints.length,
  ...(facesOf(rig).length > 0 && { faces: facesOf(rig).length }),
  height: Number(rigHeight(rig).toPrecision(6)),
});

const motionInfo = (samples: Samples): Info => ({
  frames: samples.count,
  fps: Number((1 / samples.interval).toPrecision(8)),
  seconds: Number(takeDuration(samples).toFixed(4)),
});

/** Of an animation of few keys how many it has and the rate on which they lie: it was sampled finely to be played. */
function keysInfo(bytes: Uint8Array, { source, ...samples }: Take): Info {
  const keyed = readGlbKeys(bytes, source.clip);
  if (!keyed) return {};
  const curves = Object.values(keyed.channels).flatMap((own) => Object.values(own));
  return {
    frames: Math.round(takeDuration(samples) * keyed.fps) + 1,
    fps: keyed.fps,
    keys: curves.reduce((sum, curve) => sum + (curve?.keys.length ?? 0), 0),
  };
}

const stackInfo = (project: Project): Info => ({
  name: project.name,
  fps: project.fps,
  range: project.range,
  layers: project.layers.map((layer) => ({
    name: layer.name,
    mode: layer.mode,
    ...(layer.muted && { muted: true }),
    ...(layer.solo && { solo: true }),
    weight: typeof layer.weight === 'number' ? layer.weight : `${layer.weight.keys.length} keys`,
    content: takeOf(layer)
      ? (project.takes.find((take) => take.id === takeOf(layer)?.take)?.source.file ?? 'nothing')
      : `${keyFrames(layer).length} key frames on ${Object.keys(channelsOf(layer)).length} joints`,
  })),
});

function asText(info: Info): string {
  const lines: string[] = [];
  for (const [name, value] of Object.entries(info)) {
    if (name === 'layers') {
      lines.push('layers, from the base up');
      for (const layer of value as Info[]) {
        const { name: title, mode, weight, content, ...flags } = layer;
        lines.push(`  ${title}: ${[mode, `weight ${weight}`, content, ...Object.keys(flags)].join(', ')}`);
      }
    } else if (name === 'animations') {
      lines.push('animations');
      for (const { name: title, frames, fps, seconds } of value as Info[])
        lines.push(`  ${title}: ${frames} frames, ${fps} a second, ${seconds} seconds`);
    } else if (name === 'events') {
      lines.push('events');
      for (const [event, frame] of value as [string, number][]) lines.push(`  ${frame}  ${event}`);
    } else if (name === 'warnings') {
      for (const warning of value as string[]) lines.push(`warning  ${warning}`);
    } else lines.push(`${name.padEnd(8)} ${Array.isArray(value) ? value.join(' to ') : value}`);
  }
  return `${lines.join('\n')}\n`;
}
