import { FINDING_LIMITS, type Finding, type FindingKind, GRADES, type Grade } from '../check/finding.js';
import { findingSteps } from '../check/findings.js';
import { type KitPut, type PutOptions, type PutReport, putKit } from '../edit/kits/put-kit.js';
import { partly, type Steps } from '../job/steps.js';
import type { Kit } from '../kit/kit.js';
import type { Project } from '../layer/project.js';
import { type Strip, stripOf } from './strip.js';

/** How often something of a kind and grade was found. */
export interface FoundCount {
  readonly kind: FindingKind;
  readonly grade: Grade;
  readonly count: number;
}

/** What came of a kit on a take, as a sheet of many takes shows it. */
export interface Applied {
  /** Of the range, from the first frame to the last. */
  readonly seconds: number;
  /** Findings of the take alone, and with the layers of the kit. */
  readonly before: readonly FoundCount[];
  readonly after: readonly FoundCount[];
  readonly report: PutReport;
  readonly strip: Strip;
}

/** Poses that a strip has: enough to be played. */
const POSES = 24;
/** Parts of the work: two looks at the motion, the rest is little. */
const LOOKED = 0.45;

/** Puts a kit on a project, looks what is found before and after, and draws its poses. */
export function* applyKit(
  project: Project,
  kit: Kit,
  options: PutOptions = {},
): Steps<{ readonly put: KitPut; readonly applied: Applied }> {
  const limits = project.limits ?? FINDING_LIMITS;
  const before = yield* partly(findingSteps(project, limits), 0, LOOKED);
  const put = putKit(project, kit, options);
  yield LOOKED + 0.05;
  const after = yield* partly(findingSteps(put.project, limits), LOOKED + 0.05, 0.95);
  const [first, last] = project.range;
  const applied = {
    seconds: (last - first) / project.fps,
    before: countFound(before),
    after: countFound(after),
    report: put.report,
    strip: stripOf(put.project, POSES),
  };
  return { put, applied };
}

/** Findings counted by kind and grade, the gravest first. */
export function countFound(findings: readonly Finding[]): FoundCount[] {
  const counts = new Map<string, FoundCount>();
  for (const { kind, grade } of findings) {
    const key = `${grade} ${kind}`;
    counts.set(key, { kind, grade, count: (counts.get(key)?.count ?? 0) + 1 });
  }
  return [...counts.values()].sort(
    (a, b) =>
      GRADES.indexOf(b.grade) - GRADES.indexOf(a.grade) || b.count - a.count || (a.kind < b.kind ? -1 : 1),
  );
}

/** How many findings of a grade there are. */
export const countOf = (found: readonly FoundCount[], grade: Grade): number =>
  found.reduce((sum, one) => sum + (one.grade === grade ? one.count : 0), 0);

/**
 * How bad what came of a take is, as numbers that are compared one after the other: faults that the kit brought, faults, warnings that it
 * brought, warnings, events that met none, what was left out.
 */
export function badness({ before, after, report }: Pick<Applied, 'before' | 'after' | 'report'>): number[] {
  const more = (grade: Grade) => Math.max(0, countOf(after, grade) - countOf(before, grade));
  return [
    more('fault'),
    countOf(after, 'fault'),
    more('warn'),
    countOf(after, 'warn'),
    report.idle.length + report.leftOut.length,
    report.lonely.length,
  ];
}

/** Puts the worst first, of equals by name. */
export function worstFirst<
  T extends { readonly name: string; readonly applied: Pick<Applied, 'before' | 'after' | 'report'> },
>(list: readonly T[]): T[] {
  const bad = new Map(list.map((one) => [one, badness(one.applied)]));
  return [...list].sort((a, b) => {
    const [x, y] = [bad.get(a)!, bad.get(b)!];
    const k = x.findIndex((value, i) => value !== y[i]);
    return k >= 0 ? y[k] - x[k] : a.name < b.name ? -1 : a.name > b.name ? 1 : 0;
  });
}
