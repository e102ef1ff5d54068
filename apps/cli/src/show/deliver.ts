import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import { finished, type Project, withVariant } from '@evlay/core';
import { type DeliveredFile, writeDelivery } from '@evlay/core/apply';
import { lostInBake } from '@evlay/core/bake';
import { byGrade, causesIn, FINDING_LIMITS, findingSteps } from '@evlay/core/check';
import { FileError, WRITTEN_KINDS, writeProject } from '@evlay/core/format';
import { type BakeFlags, bakeOne, checkBake, playersOf } from '../bake.js';
import { checkOut, openStack, tellWarnings, writeFile } from '../files.js';
import { withContacts } from '../projects.js';
import { checkStandardOutput } from '../standard.js';
import { drawingBrowser, filmed, filmSettings } from './film.js';
import { noVariant } from './review.js';

export interface DeliverFlags extends Omit<BakeFlags, 'variant' | 'character' | 'together' | 'straight'> {
  format?: string;
  film: string;
  size?: [number, number];
  camera?: string;
  variant?: string[];
  pattern?: string;
}

/** What the film of a delivery is written as, and where there is none. */
export const DELIVERED_FILMS = ['mp4', 'webm', 'gif', 'none'];

/** `evlay deliver`: bake, film, notes, findings and a manifest of a project, as one zip. */
export async function deliverCommand(path: string, flags: DeliverFlags): Promise<void> {
  const { out, film, json, pattern } = flags;
  checkStandardOutput(out, { '--json': json });
  if (!out.toLowerCase().endsWith('.zip') && out !== '-')
    throw new FileError(out, 'a delivery is a zip, expected a name that ends in .zip');
  checkOut(out);
  const { project, warnings } = await openStack(path, flags.root);
  const known = project.variants.map(({ name }) => name);
  const missing = flags.variant?.find((name) => !known.includes(name));
  if (missing !== undefined) throw noVariant(path, missing, known);
  const range: [number, number] = flags.range ?? [...project.range];
  // What cannot be made is said before anything is.
  const browser = film === 'none' ? undefined : drawingBrowser();
  const settings =
    browser === undefined
      ? undefined
      : filmSettings(path, project, film, { ...flags, range, fps: project.fps, numbers: true, notes: true });
  const files = await bakesOf(path, project, range, flags);
  if (browser !== undefined && settings) {
    const bytes = await filmed(browser, basename(path), writeProject(project), settings);
    const { width, height, rate, variants } = settings;
    files.push({
      what: 'film',
      ending: `.${film}`,
      bytes,
      range,
      facts: { width, height, picturesASecond: rate, ...(variants.length > 0 && { variants }) },
    });
  }
  const looked = withContacts(project);
  const causes = causesIn(looked);
  const found = byGrade(finished(findingSteps(looked, project.limits ?? FINDING_LIMITS)));
  const zip = writeDelivery(
    project,
    files,
    found.map((finding) => ({ finding, causes: causes(finding).causes })),
    pattern,
  );
  await writeFile(out, zip);
  tellWarnings(warnings);
  if (json)
    process.stdout.write(
      `${JSON.stringify({ out, bytes: zip.length, files: files.map(({ what, piece }) => ({ what, piece })), found: found.length, warnings })}\n`,
    );
}

/** The stack, or each variant that is asked for, baked to bytes: it goes through a folder that is gone afterwards. */
async function bakesOf(
  path: string,
  project: Project,
  range: [number, number],
  flags: DeliverFlags,
): Promise<DeliveredFile[]> {
  const onto = project.scene.characters[0].figure !== undefined;
  const kind = WRITTEN_KINDS.find(({ id, writes }) =>
    flags.format === undefined ? writes.onCharacter === onto : id === flags.format,
  );
  if (!kind)
    throw new FileError(
      'format',
      `${flags.format} is not written, expected ${WRITTEN_KINDS.map(({ id }) => id).join(', ')}`,
    );
  const [player] = playersOf(path, project, undefined);
  const shown = flags.variant ?? [undefined];
  const folder = mkdtempSync(join(tmpdir(), 'evlay-'));
  const bakes = shown.map((variant, k) => ({
    project: withVariant(project, variant),
    out: join(folder, `${k}${kind.ending}`),
    ...(variant !== undefined && { variant }),
    ...player,
  }));
  const own: BakeFlags = { ...flags, range, variant: undefined };
  try {
    for (const one of bakes) checkBake(path, one, own);
    const files: DeliveredFile[] = [];
    for (const one of bakes) {
      const { out, variant, joints, frames, fps, keys, warnings } = await bakeOne(one, own);
      files.push({
        what: 'bake',
        ending: kind.ending,
        bytes: new Uint8Array(readFileSync(out)),
        ...(variant !== undefined && { piece: variant }),
        range,
        facts: {
          samples: frames,
          samplesASecond: fps,
          joints,
          ...keys,
          warnings,
          lost: lostInBake(one.project, kind, flags.props, one.character),
        },
      });
    }
    return files;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
