import type { Project } from '@evlay/core';
import { type DeliveredFile, type FoundBy, writeDelivery } from '@evlay/core/apply';
import { byGrade, type Finding } from '@evlay/core/check';
import { Cancelled, type JobWork } from '@evlay/core/job';
import type { Editor } from '../editor/editor.js';
import type { FilmSettings } from '../editor/session.js';
import { type BakeWanted, bakePieces, bytesOf } from './bake-pieces.js';
import { makeFilm } from './film.js';
import { FILM_ENDINGS } from './film-encoders.js';
import { limitsOf } from './findings.js';
import { askChecker } from './workers.js';

/** What is delivered: what is baked, how it is filmed where it is, and what files are called. */
export interface DeliveryWanted {
  readonly bake: BakeWanted;
  readonly film: FilmSettings | undefined;
  readonly pattern: string;
}

/** Parts of the work: a bake, a film where there is one, and looking for findings. */
const BAKED = 0.3;
const FILMED = 0.9;
/** Findings of which causes are said, the gravest first: each takes a look at the stack without each of its layers. */
const WITH_CAUSES = 40;

/** Bakes, films and looks through what an editor shows, and packs it all into one zip. Undefined where it was cancelled. */
export async function makeDelivery(
  editor: Editor,
  { bake, film, pattern }: DeliveryWanted,
  { signal, onProgress }: JobWork,
): Promise<Blob | undefined> {
  const baked = await bakePieces(editor, bake, { signal, onProgress: (done) => onProgress(BAKED * done) });
  if (!baked) return undefined;
  const project = editor.history.settled();
  const files: DeliveredFile[] = [];
  for (const { done, bytes, piece, range, facts } of baked)
    files.push({
      what: 'bake',
      ending: done.file.slice(done.file.lastIndexOf('.')),
      bytes: await bytesOf(bytes),
      ...(baked.length > 1 && { piece }),
      range,
      facts,
    });
  if (film) {
    const made = await filmed(editor, film, signal, (done) => onProgress(BAKED + (FILMED - BAKED) * done));
    if (!made) return undefined;
    const { width, height, rate, variants, camera } = film;
    files.push({
      what: 'film',
      ending: `.${FILM_ENDINGS[film.kind]}`,
      bytes: await bytesOf(made),
      range: film.range,
      facts: {
        width,
        height,
        picturesASecond: rate,
        ...(variants.length > 0 && { variants }),
        ...(camera !== undefined && { camera }),
      },
    });
  }
  const found = await foundIn(project, signal);
  if (signal.aborted) throw new Cancelled();
  onProgress(1);
  return new Blob([writeDelivery(project, files, found, pattern)], { type: 'application/zip' });
}

/** A film as a part of other work, which ends with it. */
async function filmed(
  editor: Editor,
  settings: FilmSettings,
  signal: AbortSignal,
  onProgress: (done: number) => void,
): Promise<Blob | undefined> {
  const job = makeFilm(editor, settings);
  signal.addEventListener('abort', job.cancel);
  const stop = job.progress.subscribe(() => onProgress(job.progress.get()));
  try {
    return await job.result;
  } finally {
    stop();
    signal.removeEventListener('abort', job.cancel);
  }
}

/** What is found in a project, the gravest with their causes. Not asked as the panel asks, which gives up what is older. */
async function foundIn(project: Project, signal: AbortSignal): Promise<FoundBy[]> {
  const all = await askChecker(project, (worker, outline) => worker.delivered(outline, limitsOf(project)));
  const told: FoundBy[] = [];
  for (const [k, finding] of byGrade(all).entries()) {
    if (signal.aborted) throw new Cancelled();
    told.push({ finding, causes: k < WITH_CAUSES ? await causesOf(project, finding) : [] });
  }
  return told;
}

const causesOf = async (project: Project, finding: Finding) =>
  (await askChecker(project, (worker, outline) => worker.causes(outline, finding))).causes;
