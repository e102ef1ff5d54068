import { type FindingLimits, GRADED, type Graded } from '../layer/finding-limits.js';

export { FINDING_LIMITS, type FindingLimits, GRADED, type Graded } from '../layer/finding-limits.js';

/** What a check looks for. Layers are idle or covered, keys lie outside the range, a take is too short; all others are of joints. */
export const FINDING_KINDS = [
  'slide',
  'floor',
  'range',
  'stretch',
  'pop',
  'through',
  'loop',
  'idle',
  'covered',
  'outside',
  'short',
] as const;
export type FindingKind = (typeof FINDING_KINDS)[number];

export const GRADES = ['note', 'warn', 'fault'] as const;
export type Grade = (typeof GRADES)[number];

export type FindingUnit = 'cm' | 'degrees' | 'm/s²' | 'frames' | 'number';

/** How much of a finding comes from a layer, in the finding's unit. */
export interface Cause {
  /** The id of the layer. */
  readonly layer: string;
  readonly amount: number;
}

/** What a check has found: where, when, how much. */
export interface Finding {
  readonly kind: FindingKind;
  /** The joint or face channel, by name; none where it is of a layer as a whole. */
  readonly joint?: string;
  /** Of two bodies that pass through each other the joint of the other. */
  readonly other?: string;
  /** The id of the layer that it is of, where it is of one. */
  readonly layer?: string;
  /** First and last frame, and that at which it is worst. */
  readonly from: number;
  readonly to: number;
  readonly frame: number;
  readonly amount: number;
  readonly unit: FindingUnit;
  readonly grade: Grade;
  /** What it is in more words, where the kind does not say all. */
  readonly more?: More;
}

/**
 * Where a foot stands; how a joint is bent; a face channel that is beyond 0 or 1; why a limb snaps: it is nearly straight, the direction that it is to bend
 * towards is nearly opposite, or what was bent backwards comes round.
 */
export type More = 'below' | 'backwards' | 'beyond' | 'straight' | 'opposite' | 'round';
const SNAPS: readonly More[] = ['straight', 'opposite', 'round'];

/** By which limits a finding is graded; undefined for those that are notes whatever their amount. */
export function gradedBy({ kind, more }: Pick<Finding, 'kind' | 'more'>): Graded | undefined {
  if (more === 'backwards') return more;
  if (more === 'beyond' || (more && SNAPS.includes(more))) return undefined;
  return GRADED.find((one) => one === kind);
}

/** The grade of an amount; undefined below a note. */
export function gradeOf(limits: FindingLimits, kind: Graded, amount: number): Grade | undefined {
  const [note, warn, fault] = limits[kind];
  if (!(amount >= note)) return undefined;
  return amount >= fault ? 'fault' : amount >= warn ? 'warn' : 'note';
}

/** Findings that are alike: of one kind, of the same joints and layer, at several places. */
export interface LikeFindings {
  /** The gravest of them, with the largest amount. */
  readonly worst: Finding;
  /** All of them, by frame. */
  readonly all: readonly Finding[];
}

/** Tells apart what is found from what else is found, wherever it is. */
export const likenessOf = ({ kind, more, joint, other, layer }: Finding): string =>
  [kind, more ?? '', joint ?? '', other ?? '', layer ?? ''].join(' ');

/** Findings that are alike as one entry each, the gravest entries first, of one grade those that are found most often. */
export function likeFindings(findings: readonly Finding[]): LikeFindings[] {
  const groups = new Map<string, Finding[]>();
  for (const finding of findings) {
    const key = likenessOf(finding);
    const group = groups.get(key);
    if (group) group.push(finding);
    else groups.set(key, [finding]);
  }
  const gravity = ({ grade }: Finding): number => GRADES.indexOf(grade);
  return [...groups.values()]
    .map((all): LikeFindings => {
      const [worst] = [...all].sort((a, b) => gravity(b) - gravity(a) || b.amount - a.amount);
      return { worst, all: [...all].sort((a, b) => a.frame - b.frame) };
    })
    .sort((a, b) => gravity(b.worst) - gravity(a.worst) || b.all.length - a.all.length);
}

/** Tells findings apart, also when something else about them has changed. */
export const findingKey = (finding: Finding): string => `${likenessOf(finding)} ${finding.from}`;

/** From where to where leaps follow on one another around one of them, with no more than some frames in between. */
export function noisyStretch(
  findings: readonly Finding[],
  { from, to }: Pick<Finding, 'from' | 'to'>,
  gap: number,
): [number, number] {
  let stretch: [number, number] = [from, to];
  const leaps = findings.filter(({ kind }) => kind === 'pop');
  for (let more = true; more; ) {
    const near = leaps.filter((one) => one.to >= stretch[0] - gap && one.from <= stretch[1] + gap);
    const wider: [number, number] = [
      Math.min(stretch[0], ...near.map((one) => one.from)),
      Math.max(stretch[1], ...near.map((one) => one.to)),
    ];
    more = wider[0] < stretch[0] || wider[1] > stretch[1];
    stretch = wider;
  }
  return stretch;
}
