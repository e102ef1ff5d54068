import { finished, frameNumber, type Project } from '@evlay/core';
import {
  byGrade,
  type Causes,
  causesIn,
  FINDING_LIMITS,
  type Finding,
  findingSteps,
  GRADES,
  type Grade,
} from '@evlay/core/check';
import { readLimits } from '@evlay/core/format';
import { readFile, tellWarnings } from './files.js';
import { projectsIn } from './projects.js';

interface CheckFlags {
  grade: Grade;
  limits?: string;
  json?: boolean;
  root?: string;
}

/** The exit status where something of the grade that is asked for, or above, was found. */
const FOUND = 3;

/** `evlay check`: what is found in a take, a stack or a project, as a table or as JSON. */
export async function checkCommand(
  path: string,
  { grade, limits: file, json, root }: CheckFlags,
): Promise<void> {
  const said = file === undefined ? undefined : readLimits(file, readFile(file));
  const { projects, warnings } = await projectsIn(path, root);
  const found = projects.flatMap((project) => {
    const limits = said ?? project.limits ?? FINDING_LIMITS;
    const causes = causesIn(project);
    return byGrade(finished(findingSteps(project, limits))).map((finding) => ({
      project,
      told: told(finding, causes(finding)),
    }));
  });
  tellWarnings(warnings);
  if (json) process.stdout.write(`${JSON.stringify({ findings: found.map((one) => one.told) }, finite)}\n`);
  else process.stdout.write(asTable(found, namesOf(projects)));
  if (found.some(({ told: one }) => GRADES.indexOf(one.grade) >= GRADES.indexOf(grade)))
    process.exitCode = FOUND;
}

/** JSON has no word for what is without end: it is the largest number. */
const finite = (_: string, value: unknown): unknown =>
  typeof value === 'number' && !Number.isFinite(value)
    ? Number.isNaN(value)
      ? 0
      : Math.sign(value) * Number.MAX_VALUE
    : value;

/** A finding with its causes, layers by id. */
type Told = Finding & { readonly causes: readonly { readonly layer: string; readonly amount: number }[] };

const told = (finding: Finding, { causes }: Causes): Told => ({ ...finding, causes });

/** The names of layers by their ids. */
const namesOf = (projects: readonly Project[]): ReadonlyMap<string, string> =>
  new Map(projects.flatMap(({ layers }) => layers.map(({ id, name }) => [id, name] as const)));

/** Findings as a table, frames by the numbers that people see. */
function asTable(
  found: readonly { readonly project: Project; readonly told: Told }[],
  names: ReadonlyMap<string, string>,
): string {
  if (found.length === 0) return 'nothing found\n';
  const number = (value: number) => Number(value.toFixed(2));
  const frame = (project: Project, value: number) => number(frameNumber(project, value));
  const rows = found.map(({ project, told: one }) => [
    one.grade,
    one.kind + (one.more ? ` (${one.more})` : ''),
    [one.joint, one.other].filter(Boolean).join(' in ') || (names.get(one.layer ?? '') ?? ''),
    one.from === one.to
      ? `${frame(project, one.from)}`
      : `${frame(project, one.from)} to ${frame(project, one.to)}`,
    `${number(one.amount)} ${one.unit} at ${frame(project, one.frame)}`,
    one.causes.map(({ layer, amount }) => `${names.get(layer)} ${number(amount)}`).join(', '),
  ]);
  const head = ['grade', 'what', 'where', 'frames', 'how much', 'causes'];
  const all = [head, ...rows];
  const widths = head.map((_, k) => Math.max(...all.map((row) => row[k].length)));
  return `${all
    .map((row) =>
      row
        .map((cell, k) => cell.padEnd(widths[k]))
        .join('  ')
        .trimEnd(),
    )
    .join('\n')}\n`;
}
