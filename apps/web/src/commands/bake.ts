import { keyed, type Project, playing, withVariant } from '@evlay/core';
import { planBake } from '@evlay/core/bake';
import { addBaked, addTakes, freeTakeName } from '@evlay/core/edit';
import { strToU8, zipSync } from 'fflate';
import { whenMade } from '../jobs/open.js';
import { bakeIntoProject, bakeToFile, cancelBake } from '../jobs/workers.js';
import { download, fileName } from '../ui/download.js';
import { notify } from '../ui/notify.js';
import type { Baked, BakeJob } from '../workers/bake.worker.js';
import { command } from './command.js';

/** One file that was baked. */
export interface DoneFile extends Omit<Baked, 'bytes'> {
  readonly file: string;
  readonly variant?: string;
  readonly size: number;
}

/** A bake that is done: what was written, under which name, and how long it took. */
export interface DoneBake {
  /** What was downloaded: the one file, or a zip of all. */
  readonly file: string;
  readonly bytes: Uint8Array<ArrayBuffer>;
  readonly files: readonly DoneFile[];
  readonly seconds: number;
}

/** What is baked, and who hears of it. */
export interface Baking {
  readonly job: Omit<BakeJob, 'character'>;
  /** Names of variants, each of which becomes a file, over its own range where it has one; the stack as it is shown where missing. */
  readonly variants?: readonly string[];
  readonly onProgress: (done: number) => void;
  /** Called in the end; without what was baked where it was cancelled or failed. */
  readonly ended: (done?: DoneBake) => void;
}

/** Downloads what was baked. */
export const downloadBake = ({ file, bytes }: DoneBake): void =>
  download(file, [bytes], 'application/octet-stream');

/** Bakes the project to a file, or variants of it to files in a zip, off the page, and downloads that. */
export const bake = command<Baking>({
  name: 'Bake',
  looks: true,
  run(editor, { job, variants, onProgress, ended }) {
    const started = performance.now();
    const work = async () => {
      await whenMade(editor);
      const wanted: { project: Project; variant?: string }[] = variants
        ? variants.map((variant) => ({ project: withVariant(editor.kept.settled(), variant), variant }))
        : [{ project: editor.history.settled() }];
      const names = namesOf(wanted, job.format);
      const baked: { done: DoneFile; bytes: Uint8Array<ArrayBuffer> }[] = [];
      for (const [k, { project, variant }] of wanted.entries()) {
        const own = variant !== undefined ? { ...job, range: project.range } : job;
        const one = await bakeToFile(project, own, (done) => onProgress((k + done) / wanted.length));
        if (!one) {
          notify({ title: 'The bake was cancelled', text: 'Nothing was written.' });
          ended();
          return;
        }
        const { bytes, ...facts } = one;
        baked.push({ done: { ...facts, file: names[k], variant, size: bytes.length }, bytes });
      }
      const files = baked.map(({ done }) => done);
      const { name } = wanted[0].project;
      const seconds = () => (performance.now() - started) / 1000;
      const done: DoneBake = variants
        ? {
            file: fileName(name, 'zip'),
            bytes: zipOf(wanted, baked, job),
            files,
            seconds: seconds(),
          }
        : { file: names[0], bytes: baked[0].bytes, files, seconds: seconds() };
      downloadBake(done);
      ended(done);
    };
    work().catch((error: Error) => {
      notify({ title: 'The bake failed', text: error.message, alarm: true });
      ended();
    });
  },
});

/** File names, each once: of the project, and of its variant where there is one. */
function namesOf(wanted: readonly { project: Project; variant?: string }[], format: string): string[] {
  const used = new Set<string>();
  return wanted.map(({ project, variant }) => {
    const plain = variant === undefined ? project.name : `${project.name} ${variant}`;
    let name = fileName(plain, format);
    for (let k = 2; used.has(name.toLowerCase()); k++) name = fileName(`${plain} ${k}`, format);
    used.add(name.toLowerCase());
    return name;
  });
}

/** The files in a zip, with a list of what they are. */
function zipOf(
  wanted: readonly { project: Project }[],
  baked: readonly { done: DoneFile; bytes: Uint8Array }[],
  job: Baking['job'],
): Uint8Array<ArrayBuffer> {
  const manifest = {
    project: wanted[0].project.name,
    files: baked.map(({ done }, k) => {
      const { project } = wanted[k];
      const { rate, first, step, count } = planBake(project, { ...job, range: project.range });
      return {
        file: done.file,
        variant: done.variant,
        range: [first, first + step * (count - 1)],
        samples: count,
        samplesASecond: rate,
        joints: project.rig.joints.length - project.props.length,
        ...(done.keys && {
          keys: done.keys.after,
          keysOfEverySample: done.keys.before,
          largestError: {
            length: done.keys.error.length,
            joint: project.rig.joints[done.keys.error.moved].name,
            degrees: done.keys.error.angle,
          },
        }),
        warnings: done.warnings,
      };
    }),
  };
  const entries = Object.fromEntries(baked.map(({ done, bytes }) => [done.file, bytes]));
  return zipSync({
    ...entries,
    'manifest.json': strToU8(`${JSON.stringify(manifest, null, 2)}\n`),
  }) as Uint8Array<ArrayBuffer>;
}

/** What is baked into the project: as a take, or as a layer above all others. */
export interface BakingIn {
  readonly as: 'take' | 'layer';
  readonly job: Omit<BakeJob, 'character' | 'format' | 'props'>;
  readonly onProgress: (done: number) => void;
  /** Called in the end, with what came of it in words; without where it was cancelled or failed. */
  readonly ended: (done?: string) => void;
}

/** Bakes what is shown into the project itself, as one step. */
export const bakeIn = command<BakingIn>({
  name: 'Bake into the project',
  run(editor, { as, job, onProgress, ended }) {
    const work = async () => {
      await whenMade(editor);
      const project = editor.history.settled();
      const name = freeTakeName(project, 'Bake');
      const plan = planBake(project, job);
      const range = [plan.first, plan.first + plan.step * (plan.count - 1)] as const;
      const limits = as === 'take' ? undefined : job.limits;
      const baked = await bakeIntoProject(project, { ...job, limits, name }, onProgress);
      if (!baked) return ended();
      const { take, channels = {} } = baked;
      if (as === 'take') editor.history.edit((now) => addTakes(now, take ? [take] : []));
      else {
        const content = take ? playing(take.id) : keyed(channels);
        editor.history.edit((now) => addBaked(now, name, range, { content, take }).project);
      }
      const count = baked.keys ? `${baked.keys.after.toLocaleString('en-GB')} keys` : `${plan.count} samples`;
      ended(
        as === 'take' ? `The take “${name}”, on Takes: ${count}` : `The layer “${name}”, on top: ${count}`,
      );
    };
    work().catch((error: Error) => {
      notify({ title: 'Nothing was baked in', text: error.message, alarm: true });
      ended();
    });
  },
});

export const stopBake = command({
  name: 'Cancel the bake',
  looks: true,
  run: () => cancelBake(),
});
