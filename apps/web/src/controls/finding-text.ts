import { frameNumber, layerById, type Project } from '@evlay/core';
import type { Finding, FindingKind, LikeFindings } from '@evlay/core/check';

const amountOf = ({ amount, unit }: Finding): string =>
  unit === 'degrees'
    ? `${amount.toFixed(0)}°`
    : unit === 'frames'
      ? `${Math.round(amount)}\u00a0frames`
      : unit === 'number'
        ? amount.toFixed(2)
        : `${amount.toFixed(1)}\u00a0${unit}`;

const SNAPS: Partial<Record<NonNullable<Finding['more']>, string>> = {
  straight: 'is stretched out: its limb snaps there',
  opposite: 'bends away from its direction: it may flip there',
  round: 'comes round: it was bent backwards below',
};

/** What was found, in a few words: what, and how much. */
export function findingText(project: Project, finding: Finding): string {
  const { kind, joint, other, layer, more } = finding;
  const name = layer === undefined ? '' : (layerById(project, layer)?.name ?? 'A layer');
  const much = amountOf(finding);
  switch (kind) {
    case 'slide':
      return `${joint} slides ${much}`;
    case 'floor':
      return `${joint} stands ${much} ${more === 'below' ? 'under' : 'above'} the floor`;
    case 'range':
      if (more === 'beyond') return `${joint} is ${much} beyond 0 to 1`;
      return more === 'backwards'
        ? `${joint} is bent ${much} backwards`
        : `${joint} turns ${much} beyond its takes`;
    case 'stretch':
      return `${joint} ${(more && SNAPS[more]) ?? `is ${much} short of its goal`}`;
    case 'pop':
      return `${joint} pops, ${much}`;
    case 'through':
      return `${joint} is ${much} in ${other}`;
    case 'loop':
      return `${name} jumps ${much} at ${joint} where it comes round`;
    case 'idle':
      return `${name} does nothing`;
    case 'covered':
      return `${name} is wholly covered`;
    case 'outside':
      return `${name} has keys ${much} outside the range`;
    case 'short':
      return `${name} ends ${much} before the range`;
  }
}

/** What the kinds of findings are called in a list of them. */
export const KIND_NAMES: Record<FindingKind, string> = {
  slide: 'slides',
  floor: 'floor',
  range: 'bends',
  stretch: 'reach',
  pop: 'pops',
  through: 'through',
  loop: 'loops',
  idle: 'idle',
  covered: 'covered',
  outside: 'keys',
  short: 'short',
};

/** Whose frames they are: where its numbers begin. */
type Numbered = Pick<Project, 'first'>;

/** Where like findings are: of several how many there are, of one when it is. */
export const placesText = (project: Numbered, { worst, all }: LikeFindings): string =>
  all.length === 1
    ? framesText(project, worst)
    : `${all.length} times, worst at ${Math.round(frameNumber(project, worst.frame))}`;

/** When, in words: the frames over which it is found, or of a layer as a whole nothing. */
export function framesText(project: Numbered, { kind, from, to, frame }: Finding): string {
  if (kind === 'idle' || kind === 'covered' || kind === 'loop') return '';
  const round = (value: number) => String(Math.round(frameNumber(project, value)));
  return from === to ? `at ${round(frame)}` : `${round(from)}–${round(to)}, worst at ${round(frame)}`;
}
