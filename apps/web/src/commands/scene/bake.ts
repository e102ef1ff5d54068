import { baseOf, countKeys, keyed, newLayer, type Project, playing, takeOf } from '@evlay/core';
import { memoryRefusal, planBake } from '@evlay/core/bake';
import { addBaked, addTakes, freeTakeName, putMerged } from '@evlay/core/edit';
import { type JobWork, startJob } from '@evlay/core/job';
import { charactersOf } from '@evlay/core/rig';
import type { Editor } from '../../editor/editor.js';
import { asSeen, type BakeWanted, bakePieces, type DoneBake, zipOf } from '../../jobs/bake-pieces.js';
import { whenMade } from '../../jobs/open.js';
import { bakeIntoProject } from '../../jobs/workers.js';
import { download, fileName } from '../../ui/download.js';
import { notify } from '../../ui/notify.js';
import type { BakedIn, BakeInJob } from '../../workers/bake.worker.js';
import { command } from '../command.js';

/** What is baked, and who hears of it. */
export interface Baking extends BakeWanted {
  /** Called in the end; without what was baked where it was cancelled or failed. */
  readonly ended: (done?: DoneBake) => void;
}

/** Downloads what was baked. */
export const downloadBake = ({ file, bytes }: DoneBake): void =>
  download(file, [bytes], 'application/octet-stream');

/** Bakes the project to a file, or pieces of it to files in a zip or to animations of one GLB, off the page, and downloads that. */
export const bake = command<Baking>({
  name: 'Bake',
  looks: true,
  run(editor, { ended, ...wanted }) {
    const work = async (own: JobWork): Promise<DoneBake | undefined> => {
      const started = performance.now();
      const baked = await bakePieces(editor, wanted, own);
      if (!baked) return undefined;
      const { name } = editor.history.project();
      const [one] = baked;
      // One that holds several pieces is a file as it is.
      const alone = wanted.what === 'stack' || one.done.animations || one.done.characters;
      return {
        file: alone ? one.done.file : fileName(name, 'zip'),
        bytes: alone ? one.bytes : await zipOf(editor.history.project(), baked),
        files: baked.map(({ done }) => done),
        seconds: (performance.now() - started) / 1000,
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

/** Runs a bake as a job of the session; one that is under way is given up. */
export function runBake<T>(
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
    // Few keys are found while the samples are evaluated; but a keyed base that goes is kept as a take.
    const few = job.frames.kind === 'few';
    if (!few && job.frames.kind !== 'every') return undefined;
    if (few && (as !== 'base' || takeOf(baseOf(project)))) return undefined;
    const reason = memoryRefusal(project.rig, planBake(project, few ? {} : job));
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
