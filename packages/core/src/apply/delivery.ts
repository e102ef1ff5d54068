import { strToU8, zipSync } from 'fflate';
import type { Cause, Finding } from '../check/finding.js';
import { NOTES_ENDING, writeNotes } from '../format/review/notes-file.js';
import { ZIP_DAY } from '../format/zip.js';
import { frameNumber, type Project } from '../layer/project.js';
import { countFound } from './applied.js';

/** What the files of a delivery are. */
export type DeliveredKind = 'bake' | 'film' | 'notes' | 'findings';

/** A file that was made for a delivery: of a piece of the project, a variant or stretch, where it is not of the whole. */
export interface DeliveredFile {
  readonly what: DeliveredKind;
  /** Of the name, with its point. */
  readonly ending: string;
  readonly bytes: Uint8Array;
  readonly piece?: string;
  readonly range: readonly [number, number];
  /** What else the manifest says of it. */
  readonly facts?: Readonly<Record<string, unknown>>;
}

/** A finding with the layers that it comes from. */
export interface FoundBy {
  readonly finding: Finding;
  readonly causes: readonly Cause[];
}

/** How files of a delivery are called where nobody says. */
export const DELIVERY_PATTERN = '{project} {piece} {what}';

/**
 * Names of files by a pattern, each once: `{project}`, `{piece}`, `{what}` and `{range}` are filled in, what file systems do not take becomes a
 * space, and a number tells apart what would be called alike.
 */
export function namesByPattern(
  project: Project,
  pattern: string,
  files: readonly Pick<DeliveredFile, 'what' | 'piece' | 'range' | 'ending'>[],
): string[] {
  const used = new Set<string>();
  return files.map(({ what, piece = '', range, ending }) => {
    const frames = range.map((frame) => Math.round(frameNumber(project, frame))).join('-');
    const filled = pattern
      .replaceAll('{project}', project.name)
      .replaceAll('{piece}', piece)
      .replaceAll('{what}', what)
      .replaceAll('{range}', frames)
      .replace(/[^\p{L}\p{N} ._-]+/gu, ' ')
      .replace(/\s+/g, ' ')
      .trim();
    const plain = filled === '' ? what : filled;
    let name = plain;
    for (let k = 2; used.has((name + ending).toLowerCase()); k++) name = `${plain} ${k}`;
    used.add((name + ending).toLowerCase());
    return name + ending;
  });
}

/**
 * A delivery as one zip: the files that were made, what is found in the project with causes, its notes where it has any, and a
 * manifest that says of each file what it is. The same files make the same bytes.
 */
export function writeDelivery(
  project: Project,
  made: readonly DeliveredFile[],
  found: readonly FoundBy[],
  pattern = DELIVERY_PATTERN,
): Uint8Array<ArrayBuffer> {
  const { notes, range } = project;
  const all: DeliveredFile[] = [
    ...made,
    { what: 'findings', ending: '.json', range, bytes: asJson(findingsOf(project, found)) },
    ...(notes.length > 0
      ? [
          {
            what: 'notes' as const,
            ending: NOTES_ENDING,
            range,
            bytes: strToU8(writeNotes({ project: project.name, by: '', notes })),
            facts: { notes: notes.length, open: notes.filter(({ done }) => !done).length },
          },
        ]
      : []),
  ];
  const names = namesByPattern(project, pattern, all);
  const manifest = {
    format: 'evlay-delivery',
    version: 1,
    project: project.name,
    framesASecond: project.fps,
    range: range.map((frame) => frameNumber(project, frame)),
    layers: project.layers.map(({ name, mode, muted }) => ({ name, mode, ...(muted && { muted }) })),
    found: countFound(found.map(({ finding }) => finding)),
    files: all.map(({ what, piece, range: own, bytes, facts }, k) => ({
      file: names[k],
      what,
      ...(piece !== undefined && { piece }),
      range: own.map((frame) => frameNumber(project, frame)),
      bytes: bytes.length,
      ...facts,
    })),
  };
  return zipSync(
    Object.fromEntries([
      ...all.map(({ what, bytes }, k) => [names[k], [bytes, { level: what === 'film' ? 0 : 2 }]] as const),
      ['manifest.json', asJson(manifest)],
    ]),
    { mtime: ZIP_DAY },
  ) as Uint8Array<ArrayBuffer>;
}

const asJson = (value: unknown): Uint8Array => strToU8(`${JSON.stringify(value, null, 2)}\n`);

/** What is found, in words and numbers of people: frames as they count them, layers by their names. */
function findingsOf(project: Project, found: readonly FoundBy[]) {
  const nameOf = (id: string | undefined) => project.layers.find((layer) => layer.id === id)?.name ?? id;
  const number = (frame: number) => frameNumber(project, frame);
  return {
    project: project.name,
    findings: found.map(({ finding: { layer, from, to, frame, ...rest }, causes }) => ({
      ...rest,
      ...(layer !== undefined && { layer: nameOf(layer) }),
      from: number(from),
      to: number(to),
      frame: number(frame),
      causes: causes.map((cause) => ({ layer: nameOf(cause.layer), amount: cause.amount })),
    })),
  };
}
