import { frameNumber, type Note, type Project, withVariant } from '@evlay/core';
import { bakedScene, lostInBake, planBake } from '@evlay/core/bake';
import { writtenKind } from '@evlay/core/format';
import type { JobWork } from '@evlay/core/job';
import { characterOf, facesOf, rigOfCharacter } from '@evlay/core/rig';
import { strToU8, zipSync } from 'fflate';
import { castOf } from '../editor/cast.js';
import type { Editor } from '../editor/editor.js';
import { layerAlone } from '../editor/seen.js';
import { fileName } from '../ui/download.js';
import type { Baked, BakeJob } from '../workers/bake.worker.js';
import { whenMade } from './open.js';
import { bakeToFile } from './workers.js';

/** One file that was baked. */
export interface DoneFile extends Omit<Baked, 'file'> {
  readonly file: string;
  /** Names of the animations in it, where it has several. */
  readonly animations?: readonly string[];
  /** The characters in it, where they are several. */
  readonly characters?: readonly string[];
  readonly size: number;
}

/** A bake that is done: what was written, under which name, and how long it took. */
export interface DoneBake {
  /** What was downloaded: the one file, or a zip of all. */
  readonly file: string;
  readonly bytes: Blob;
  readonly files: readonly DoneFile[];
  readonly seconds: number;
}

/** What is baked to files. */
export interface BakeWanted {
  readonly job: Omit<BakeJob, 'figure'>;
  /** The stack as it is shown, each variant over its own range, each stretch between two marks, or each character of the scene. */
  readonly what: 'stack' | 'variants' | 'marks' | 'characters';
  /** Whether several pieces become animations of one GLB, and not a file each. */
  readonly together: boolean;
  /** What files are called: {project} and {piece} are filled in. */
  readonly pattern: string;
}

/** A file that was baked, of which piece, and what a manifest says of it. */
export interface BakedPiece {
  readonly done: DoneFile;
  readonly bytes: Blob;
  readonly piece: string;
  readonly range: readonly [number, number];
  readonly facts: Readonly<Record<string, unknown>>;
}

export const bytesOf = async (file: Blob): Promise<Uint8Array<ArrayBuffer>> =>
  new Uint8Array(await file.arrayBuffer());

/** One piece of a bake. */
export interface Piece {
  readonly name: string;
  readonly project: Project;
  readonly range: readonly [number, number];
  /** Of which character, where it is not that which was chosen. */
  readonly character?: number;
}

/** The stretches between the marks of a project, each called as the mark at which it begins, with a number where that is taken. */
export function stretches({ marks, range }: Project): { name: string; range: readonly [number, number] }[] {
  const inside = marks.filter(({ frame }) => frame >= range[0] && frame <= range[1]);
  const used = new Map<string, number>();
  return inside.flatMap(({ name, frame }, k) => {
    const end = inside[k + 1]?.frame ?? range[1];
    if (!(end > frame)) return [];
    // Animations of one file are told apart by their names.
    const time = (used.get(name) ?? 0) + 1;
    used.set(name, time);
    return [{ name: time > 1 ? `${name} ${time}` : name, range: [frame, end] as const }];
  });
}

function piecesOf(editor: Editor, what: BakeWanted['what'], range: BakeJob['range']): Piece[] {
  const project = editor.history.settled();
  if (what === 'variants') {
    const kept = editor.kept.settled();
    return kept.variants.map(({ name }) => {
      const own = withVariant(kept, name);
      return { name, project: own, range: own.range };
    });
  }
  if (what === 'characters')
    return project.scene.characters.map((_, character) => ({
      name: castOf(project, character).name,
      project: asSeen(editor, project),
      range: range ?? project.range,
      character,
    }));
  if (what === 'marks') return stretches(project).map((piece) => ({ ...piece, project }));
  return [{ name: project.name, project: asSeen(editor, project), range: range ?? project.range }];
}

/** The stack, or the layer of it that is played alone. */
export function asSeen({ session }: Editor, project: Project): Project {
  const { alone } = session.getState();
  return alone ? layerAlone(project, alone) : project;
}

/** Bakes the project to a file, or pieces of it to a file each or to animations of one GLB, off the page. Undefined where it was cancelled. */
export async function bakePieces(
  editor: Editor,
  { job, what, together, pattern }: BakeWanted,
  own: JobWork,
): Promise<BakedPiece[] | undefined> {
  await whenMade(editor);
  const pieces = piecesOf(editor, what, job.range);
  const { name } = pieces[0].project;
  const { several } = writtenKind(job.format).writes;
  const asOne = together && several && pieces.length > 1;
  const asScene = asOne && what === 'characters';
  const names = namesOf(pieces, what === 'stack' ? '{project}' : pattern, job.format);
  const baked: BakedPiece[] = [];
  for (const [k, piece] of pieces.entries()) {
    const onto = asOne && !asScene && k > 0 ? await bytesOf(baked[k - 1].bytes) : undefined;
    const one = await bakeToFile(
      piece.project,
      {
        ...job,
        range: piece.range,
        ...(what !== 'stack' && !asScene && { name: piece.name }),
        ...(piece.character !== undefined && { character: piece.character }),
        // Props stand in the scene, as the first character does.
        ...(asScene && { props: job.props && k === 0 }),
        onto,
      },
      { ...own, onProgress: (done) => own.onProgress((k + done) / pieces.length) },
    );
    if (!one) return undefined;
    const { file: bytes, ...facts } = one;
    const done = { ...facts, file: names[k], size: bytes.size };
    baked.push({ done, bytes, piece: piece.name, range: piece.range, facts: factsOf(piece, done, job) });
  }
  if (!asOne) return baked;
  const last = baked[baked.length - 1];
  const scene = asScene ? await sceneOf(pieces, baked) : undefined;
  const done = {
    ...last.done,
    ...scene?.facts,
    file: fileName(name, job.format),
    ...(!scene && { animations: pieces.map((piece) => piece.name) }),
  };
  return [{ ...last, done, bytes: scene?.bytes ?? last.bytes, piece: name }];
}

/** One GLB of all characters, and what is said of it. */
async function sceneOf(
  pieces: readonly Piece[],
  baked: readonly { done: DoneFile; bytes: Blob }[],
): Promise<{ bytes: Blob; facts: Partial<DoneFile> }> {
  const names = pieces.map(({ name }) => name);
  const files = await Promise.all(baked.map((one) => bytesOf(one.bytes)));
  const { bytes, warnings } = bakedScene(pieces[0].project, names, files);
  const all = [...baked.flatMap(({ done }) => done.warnings), ...warnings];
  return {
    bytes: new Blob([bytes]),
    // How keys and joints of one of them compare says nothing of all.
    facts: {
      size: bytes.length,
      warnings: [...new Set(all)],
      characters: names,
      keys: undefined,
      compared: undefined,
      over: undefined,
    },
  };
}

/** File names by a pattern, each once. */
function namesOf(pieces: readonly Piece[], pattern: string, format: string): string[] {
  const used = new Set<string>();
  return pieces.map(({ name, project }) => {
    const plain = pattern.replaceAll('{project}', project.name).replaceAll('{piece}', name);
    let file = fileName(plain, format);
    for (let k = 2; used.has(file.toLowerCase()); k++) file = fileName(`${plain} ${k}`, format);
    used.add(file.toLowerCase());
    return file;
  });
}

/** A note as a manifest tells it: without what was drawn and said. */
const noteOf = (project: Project, { frame, by, text, answer, done }: Note) => ({
  frame: frameNumber(project, frame),
  by,
  text,
  ...(answer !== undefined && { answer }),
  done: done === true,
});

/** What a manifest says of a file that was baked. */
function factsOf(
  { project, range, character: own }: Piece,
  done: DoneFile,
  job: BakeWanted['job'],
): Readonly<Record<string, unknown>> {
  const character = own ?? job.character ?? 0;
  const rig = characterOf(project.rig, character);
  const { rate, count } = planBake(project, { ...job, range });
  return {
    samples: count,
    samplesASecond: rate,
    joints: rig.joints.length,
    ...(done.compared && { jointsAsTheyCameIn: done.compared.same }),
    ...(done.keys && {
      keys: done.keys.after,
      keysOfEverySample: done.keys.before,
      largestError: {
        length: done.keys.error.length,
        joint: rigOfCharacter(project.rig, character).joints[done.keys.error.moved].name,
        degrees: done.keys.error.angle,
        ...(facesOf(rig).length > 0 && { number: done.keys.error.number }),
      },
    }),
    warnings: done.warnings,
    lost: lostInBake(project, writtenKind(job.format), job.props, character),
  };
}

/** The files in a zip, with a list of what they are. */
export async function zipOf(project: Project, baked: readonly BakedPiece[]): Promise<Blob> {
  const manifest = {
    project: project.name,
    ...(project.notes.length > 0 && { notes: project.notes.map((note) => noteOf(project, note)) }),
    files: baked.map(({ done, piece, range, facts }) => ({
      file: done.file,
      piece,
      range: range.map((frame) => frameNumber(project, frame)),
      ...facts,
    })),
  };
  const entries: Record<string, Uint8Array> = {};
  for (const { done, bytes } of baked) entries[done.file] = await bytesOf(bytes);
  entries['manifest.json'] = strToU8(`${JSON.stringify(manifest, null, 2)}\n`);
  return new Blob([zipSync(entries) as Uint8Array<ArrayBuffer>]);
}
