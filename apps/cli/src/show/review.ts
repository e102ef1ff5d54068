import { existsSync, readFileSync } from 'node:fs';
import { newId } from '@evlay/core';
import { forReview } from '@evlay/core/edit';
import { FileError, quote, writeProject, writeReview } from '@evlay/core/format';
import { checkOut, openStack, tellWarnings, writeFile } from '../files.js';
import { indexOfLayer } from '../merge.js';
import { checkStandardOutput } from '../standard.js';

export interface ReviewFlags {
  out: string;
  range?: [number, number];
  variant?: string[];
  turn?: string[];
  json?: boolean;
  root?: string;
}

/** The page of a review, as it was built. */
const PAGE = new URL('../../review/dist/index.html', import.meta.url);

/** Says that there is no variant of a name, and which there are. */
export const noVariant = (path: string, name: string, known: readonly string[]): FileError =>
  new FileError(
    path,
    `no variant is called ${quote(name)}, expected ${known.length > 0 ? `one of ${known.map(quote).join(', ')}` : 'none: the stack has no variants'}`,
  );

/** `evlay review`: one page that plays variants of a project in any browser, and takes notes. */
export async function reviewCommand(path: string, flags: ReviewFlags): Promise<void> {
  const { out, json } = flags;
  checkStandardOutput(out, { '--json': json });
  if (!out.toLowerCase().endsWith('.html') && out !== '-')
    throw new FileError(out, 'a review is a page, expected a name that ends in .html');
  checkOut(out);
  const { project, warnings } = await openStack(path, flags.root);
  const known = project.variants.map(({ name }) => name);
  const variants = flags.variant ?? known;
  const missing = variants.find((name) => !known.includes(name));
  if (missing !== undefined) throw noVariant(path, missing, known);
  const layers = (flags.turn ?? []).map((name) => project.layers[indexOfLayer(path, project, name)].id);
  if (!existsSync(PAGE))
    throw new FileError('review page', 'it is not built, expected `npm ci`, which builds it');
  const range = flags.range ?? project.range;
  const html = writeReview(readFileSync(PAGE, 'utf8'), {
    id: newId(),
    name: project.name,
    project: writeProject(forReview(project, range, variants)),
    variants,
    layers,
  });
  await writeFile(out, new TextEncoder().encode(html));
  tellWarnings(warnings);
  if (json)
    process.stdout.write(
      `${JSON.stringify({ out, bytes: html.length, variants, layers, range, warnings })}\n`,
    );
}
