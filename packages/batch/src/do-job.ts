import { finished, type Project, type Take } from '@evlay/core';
import { applyKit, bakeWhole, projectFor, type Wearer } from '@evlay/core/apply';
import { FileError, kindOf, readAnyTake, readKit, writeProject, writtenKind } from '@evlay/core/format';
import { type KeyLimits, usualLimits } from '@evlay/core/keys';
import type { FileRef, JobResult, TakeDone, TakeJob } from './job.js';
import { findBeside, readSame } from './read.js';

/** A performance of a take file, with the character that it comes with or is to be fitted to. */
interface Performance {
  readonly take: Take;
  readonly character?: Wearer;
  readonly warnings: readonly string[];
}

/** What a thread keeps from one job to the next: the character that it read last, and of which file. */
export interface Kept {
  character?: { readonly file: FileRef; readonly read: Awaited<ReturnType<typeof characterIn>> };
}

/**
 * Does what is asked of a take file: each performance in it is put on the character, gets the layers of the kit, is looked
 * through and baked. The same files give the same bytes, wherever it is done. Throws `FileError`.
 */
export async function doJob(job: TakeJob, kept: Kept = {}): Promise<JobResult> {
  const kit = await readKit(job.kit.path, readSame(job.kit), findBeside(job.kit.path));
  const performances = await performancesIn(job, kept);
  const done: TakeDone[] = [];
  const files: JobResult['files'][number][] = [];
  for (const [k, { take, character, warnings }] of performances.entries()) {
    const name = performances.length === 1 ? job.name : `${job.name}-${String(k + 1).padStart(2, '0')}`;
    const project = await projectFor({ ...take, name }, character, kit.fps);
    const { put, applied } = finished(applyKit(project, kit));
    const kind = writtenKind(job.format);
    const baked = await bakeWhole(put.project, kind, limitsOf(put.project, job));
    const [projectFile, bakeFile] = [`${name}.evlay`, `${name}${kind.ending}`];
    files.push(
      // Packing takes and characters would be a tenth of the work.
      { name: projectFile, bytes: writeProject(put.project, [], { packFiles: false }) },
      { name: bakeFile, bytes: baked.bytes },
    );
    done.push({
      name,
      project: projectFile,
      bake: bakeFile,
      seconds: applied.seconds,
      frames: Math.floor(put.project.range[1] - put.project.range[0]) + 1,
      fps: put.project.fps,
      before: [...applied.before],
      after: [...applied.after],
      report: structuredClone(applied.report) as TakeDone['report'],
      ...(baked.keys && { keys: keysOf(put.project, baked.keys) }),
      strip: { bones: [...applied.strip.bones], poses: applied.strip.poses.map((pose) => [...pose]) },
      warnings: [...warnings, ...baked.warnings],
    });
  }
  return { done, files };
}

/** The limits of few keys; undefined where every sample is asked for. `tolerance` is in units of the rig. */
function limitsOf({ rig }: Project, { tolerance, angle }: TakeJob): KeyLimits | undefined {
  if (tolerance === undefined && angle === undefined) return undefined;
  const usual = usualLimits(rig);
  return { length: tolerance ?? usual.length, angle: angle ?? usual.angle };
}

function keysOf(
  { rig, metresPerUnit }: Project,
  { before, after, error }: NonNullable<Awaited<ReturnType<typeof bakeWhole>>['keys']>,
): TakeDone['keys'] {
  return {
    before,
    after,
    length: error.length * metresPerUnit,
    lengthJoint: rig.joints[error.moved].name,
    angle: error.angle,
    angleJoint: rig.joints[error.turned].name,
  };
}

/** The performances of a take file. A GLB brings its own character where none is given. */
async function performancesIn(job: TakeJob, kept: Kept): Promise<Performance[]> {
  const { path } = job.take;
  const bytes = readSame(job.take);
  const wearer = job.rig && (await wearerOf(job.rig, kept));
  const own = kindOf(path)?.readCharacter;
  if (!own) {
    const { take, warnings } = await readAnyTake(path, bytes);
    return [{ take, character: wearer, warnings }];
  }
  const read = await characterIn(path, bytes);
  if (read.takes.length === 0) throw new FileError(path, 'there is no motion in it, expected a take');
  return read.takes.map((take) => ({ take, character: wearer ?? read, warnings: read.warnings }));
}

/** The character of a job, as it was read before where it is the same file and names no others. */
async function wearerOf(file: FileRef, kept: Kept) {
  const bytes = readSame(file);
  // A character is called by its file, so that the same bytes of another name are another.
  const { character } = kept;
  if (character?.file.digest === file.digest && character.file.path === file.path) return character.read;
  let alone = true;
  const read = await characterIn(file.path, bytes, () => {
    alone = false;
  });
  if (alone) kept.character = { file, read };
  return read;
}

/** Reads a character; `onBeside` is told of each file beside it that it names. */
async function characterIn(path: string, bytes: Uint8Array, onBeside?: () => void) {
  const read = kindOf(path)?.readCharacter;
  if (!read) throw new FileError(path, 'it is no character, expected a .glb, .vrm or .gltf');
  const find = findBeside(path);
  return read(path, bytes, (name) => {
    onBeside?.();
    return find(name)?.bytes;
  });
}
