import {
  countKeys,
  frameNumber,
  keyed,
  type Note,
  newLayer,
  type Project,
  playing,
  withVariant,
} from '@evlay/core';
import { bakedScene, lostInBake, memoryRefusal, planBake } from '@evlay/core/bake';
import { addBaked, addTakes, freeTakeName, putMerged } from '@evlay/core/edit';
import { writtenKind } from '@evlay/core/format';
import { type JobWork, startJob } from '@evlay/core/job';
import { characterOf, charactersOf, facesOf, rigOfCharacter } from '@evlay/core/rig';
import { strToU8, zipSync } from 'fflate';
import { castOf } from '../../editor/cast.js';
import type { Editor } from '../../editor/editor.js';
import { layerAlone } from '../../editor/seen.js';
import { whenMade } from '../../jobs/open.js';
import { bakeIntoProject, bakeToFile } from '../../jobs/workers.js';
import { download, fileName } from '../../ui/download.js';
import { notify } from '../../ui/notify.js';
import type { Baked, BakedIn, BakeInJob, BakeJob } from '../../workers/bake.worker.js';
import { command } from '../command.js';

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

/** What is baked, and who hears of it. */
export interface Baking {
  readonly job: Omit<BakeJob, 'figure'>;
  /** What is baked: the stack as it is shown, each variant over its own range, each stretch between two marks, or each character of the scene. */
  readonly what: 'stack' | 'variants' | 'marks' | 'characters';
  /** Whether several pieces become animations of one GLB, and not a file each. */
  readonly together: boolean;
  /** What files are called: {project} and {piece} are filled in. */
  readonly pattern: string;
  /** Called in the end; without what was baked where it was cancelled or failed. */
  readonly ended: (done?: DoneBake) => void;
}

const bytesOf = async (file: Blob): Promise<Uint8Array<ArrayBuffer>> =>
  new Uint8Array(await file.arrayBuffer());

/** Downloads what was baked. */
export const downloadBake = ({ file, bytes }: DoneBake): void =>
  download(file, [bytes], 'application/octet-stream');

/** One piece of a bake. */
interface Piece {
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

function piecesOf(editor: Editor, what: Baking['what'], range: BakeJob['range']): Piece[] {
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
function asSeen({ session }: Editor, project: Project): Project {
  const { alone } = session.getState();
  return alone ? layerAlone(project, alone) : project;
}

/** Bakes the project to a file, or pieces of it to files in a zip or to animations of one GLB, off the page, and downloads that. */
export const bake = command<Baking>({
  name: 'Bake',
  looks: true,
  run(editor, { job, what, together, pattern, ended }) {
    const started = performance.now();
    const work = async (own: JobWork): Promise<DoneBake | undefined> => {
      await whenMade(editor);
      const pieces = piecesOf(editor, what, job.range);
      const { name } = pieces[0].project;
      const { several } = writtenKind(job.format).writes;
      const asOne = together && several && pieces.length > 1;
      const asScene = asOne && what === 'characters';
      const names = namesOf(pieces, what === 'stack' ? '{project}' : pattern, job.format);
      const baked: { done: DoneFile; bytes: Blob }[] = [];
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
        baked.push({ done: { ...facts, file: names[k], size: bytes.size }, bytes });
      }
      const seconds = () => (performance.now() - started) / 1000;
      const last = baked[baked.length - 1];
      const scene = asScene ? await sceneOf(pieces, baked) : undefined;
      return asOne
        ? {
            file: fileName(name, job.format),
            bytes: scene?.bytes ?? last.bytes,
            files: [
              {
                ...last.done,
                ...scene?.facts,
                file: fileName(name, job.format),
                ...(!scene && { animations: pieces.map((piece) => piece.name) }),
              },
            ],
            seconds: seconds(),
          }
        : what === 'stack'
          ? { file: names[0], bytes: last.bytes, files: [last.done], seconds: seconds() }
          : {
              file: fileName(name, 'zip'),
              bytes: await zipOf(pieces, baked, job),
              files: baked.map((one) => one.done),
              seconds: seconds(),
            };
    };
    const tell = (done: DoneBake | undefined): void => {
      if (done) downloadBake(done);
      else notify({ title: 'The bake was cancelled', text: 'Nothing was written.' });
      ended(done);
    };
    runBake(editor, work, tell, (reason) => {
      notify({ title: 'The bake failed', text: reason, alarm: true });
      ended();
    });
  },
});

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

/** Runs a bake as a job of the session; one that is under way is given up. */
function runBake<T>(
  { session }: Editor,
  work: (own: JobWork) => Promise<T | undefined>,
  done: (result: T | undefined) => void,
  failed: (reason: string) => void,
): void {
  session.getState().baking?.cancel();
  const job = startJob('Baking', work);
  session.setState({ baking: job });
  job.result
    .finally(() => {
      if (session.getState().baking === job) session.setState({ baking: undefined });
    })
    .then(done)
    .catch((error: Error) => failed(error.message));
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

/** The files in a zip, with a list of what they are. */
async function zipOf(
  pieces: readonly Piece[],
  baked: readonly { done: DoneFile; bytes: Blob }[],
  job: Baking['job'],
): Promise<Blob> {
  const manifest = {
    project: pieces[0].project.name,
    ...(pieces[0].project.notes.length > 0 && {
      notes: pieces[0].project.notes.map((note) => noteOf(pieces[0].project, note)),
    }),
    files: baked.map(({ done }, k) => {
      const { name, project, range, character = job.character ?? 0 } = pieces[k];
      const own = characterOf(project.rig, character);
      const { rate, first, step, count } = planBake(project, { ...job, range });
      return {
        file: done.file,
        piece: name,
        range: [first, first + step * (count - 1)].map((frame) => frameNumber(project, frame)),
        samples: count,
        samplesASecond: rate,
        joints: own.joints.length,
        ...(done.compared && { jointsAsTheyCameIn: done.compared.same }),
        ...(done.keys && {
          keys: done.keys.after,
          keysOfEverySample: done.keys.before,
          largestError: {
            length: done.keys.error.length,
            joint: rigOfCharacter(project.rig, character).joints[done.keys.error.moved].name,
            degrees: done.keys.error.angle,
            ...(facesOf(own).length > 0 && { number: done.keys.error.number }),
          },
        }),
        warnings: done.warnings,
        lost: lostInBake(project, writtenKind(job.format), job.props, character),
      };
    }),
  };
  const entries: Record<string, Uint8Array> = {};
  for (const { done, bytes } of baked) entries[done.file] = await bytesOf(bytes);
  entries['manifest.json'] = strToU8(`${JSON.stringify(manifest, null, 2)}\n`);
  return new Blob([zipSync(entries) as Uint8Array<ArrayBuffer>]);
}

/** What is baked into the project. */
export interface BakingIn {
  readonly as: BakeInJob['as'];
  readonly job: Omit<BakeInJob, 'name' | 'as'>;
  /** Called in the end, with what came of it in words; without where it was cancelled or failed. */
  readonly ended: (done?: string) => void;
}

/** Bakes what is shown into the project itself, as one step: as a take, as a layer above all others, or in the place of all. */
export const bakeIn = command<BakingIn>({
  name: 'Bake into the project',
  layer: ({ history }, { as }) => (as === 'base' ? history.project().layers.map(({ id }) => id) : undefined),
  refusal(editor, { as, job }) {
    const project = editor.history.settled();
    const even = job.frames.kind === 'every' || job.frames.kind === 'nth';
    if (job.joints?.length === 0) return { reason: 'No joints are chosen: pick a part of the body at least' };
    if (as === 'base' && project.scene.characters.length > 1)
      return {
        reason:
          'The base is of one character, and all layers would go: merge the stack on Layers instead, which keeps the others',
      };
    if (as === 'take' && !even)
      return { reason: 'A take has samples at even times: choose every frame, or every nth' };
    if (job.frames.kind === 'nth' || job.frames.kind === 'keys') return undefined;
    const reason = memoryRefusal(project.rig, planBake(project, job));
    return reason === undefined ? undefined : { reason };
  },
  run(editor, { as, job, ended }) {
    let of = editor.kept.settled();
    const work = async (own: JobWork) => {
      await whenMade(editor);
      of = editor.kept.settled();
      const project = editor.history.settled();
      const name = freeTakeName(project, 'Bake');
      const baked = await bakeIntoProject(asSeen(editor, project), { ...job, as, name }, own);
      return baked && { baked, name, range: job.range ?? project.range };
    };
    runBake(
      editor,
      work,
      (done) => {
        if (!done) {
          notify({ title: 'The bake was cancelled', text: 'The project is as it was.' });
          return ended();
        }
        const { baked, name, range } = done;
        // A new base takes the place of layers that it was made of, and of no others.
        if (as === 'base' && editor.kept.settled() !== of) {
          notify({
            title: 'Nothing was baked in',
            text: 'The stack was changed meanwhile: bake it again as it is now.',
            alarm: true,
          });
          return ended();
        }
        // What is there is changed, and not the values of a variant that is shown.
        const lost = as === 'base' ? variantsLost(of) : 0;
        const before = editor.kept.settled();
        editor.kept.edit((now) => putBaked(now, as, name, range, job.character ?? 0, baked));
        ended(editor.kept.settled() === before ? undefined : saidOf(as, name, baked, lost));
      },
      (reason) => {
        notify({ title: 'Nothing was baked in', text: reason, alarm: true });
        ended();
      },
    );
  },
});

/** Puts what was baked where it belongs. */
function putBaked(
  project: Project,
  as: BakingIn['as'],
  name: string,
  range: readonly [number, number],
  character: number,
  { take, channels = {}, before }: BakedIn,
): Project {
  const player = charactersOf(project.rig)[character].name || undefined;
  if (as === 'take') return addTakes(project, take ? [take] : []);
  const content = take ? playing(take.id, 'first', player) : keyed(channels);
  if (as === 'layer') return addBaked(project, name, range, { content, take }).project;
  return putMerged(
    project,
    { from: 0, to: project.layers.length - 1, kind: 'base', solo: false, group: undefined },
    { content, take, before },
    range[0],
  );
}

/** How many variants say something of layers, which they can not any more when all of these become one. */
const variantsLost = ({ variants }: Project): number =>
  variants.filter(({ layers }) => Object.keys(layers).length > 0).length;

function saidOf(as: BakingIn['as'], name: string, { take, keys, channels }: BakedIn, lost: number): string {
  const size = take
    ? `${take.count.toLocaleString('en-GB')} samples`
    : `${(keys?.after ?? countKeys(newLayer(name, 'override', { content: keyed(channels ?? {}) }))).toLocaleString('en-GB')} keys`;
  if (as === 'take') return `The take “${name}”, on Takes: ${size}`;
  if (as === 'layer') return `The layer “${name}”, on top: ${size}`;
  const gone =
    lost === 0 ? '' : `; what ${lost === 1 ? 'a variant' : `${lost} variants`} said of layers is gone`;
  return `All layers became one base: ${size}${gone}. Undo brings everything back`;
}

export const stopBake = command({
  name: 'Cancel the bake',
  palette: 'Play and project',
  looks: true,
  run: ({ session }) => session.getState().baking?.cancel(),
});
