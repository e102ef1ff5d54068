import { newId, type Project, type Take, withoutLooks } from '@evlay/core';
import { takeId } from '@evlay/core/take';

/** Under which a worker holds the samples of a take: those of one id never change. */
export const samplesId = ({ source }: Take): string => takeId(source.id, source.clip);

/** A project whose takes are named only, since a worker holds their samples, and without what no bake needs. */
export type ProjectOutline = Omit<Project, 'takes'> & {
  /** The same for outlines of the same state. */
  readonly key: string;
  readonly takes: readonly { readonly id: string; readonly samples: string }[];
};

const keys = new WeakMap<Project, string>();

export function outlineOf(project: Project): ProjectOutline {
  const key = keys.get(project) ?? newId();
  keys.set(project, key);
  return {
    ...project,
    key,
    scene: withoutLooks(project.scene),
    takes: project.takes.map((take) => ({ id: take.id, samples: samplesId(take) })),
  };
}

/** The project of an outline, with the samples that a worker holds. */
export const withTakes = (
  { key: _, ...outline }: ProjectOutline,
  held: ReadonlyMap<string, Take>,
): Project => ({
  ...outline,
  takes: outline.takes.map(({ id, samples }) => ({ ...held.get(samples)!, id })),
});

export const TRACK_KINDS = ['translations', 'rotations', 'scales'] as const;
export type TrackKind = (typeof TRACK_KINDS)[number];

/** A take without its samples and its file; how many numbers each track has. */
export interface TakeOutline extends Take {
  readonly lengths: Readonly<Record<TrackKind, number>>;
}

const withValues = (take: Take, values: (kind: TrackKind) => Float64Array): Take => ({
  ...take,
  ...Object.fromEntries(TRACK_KINDS.map((kind) => [kind, { ...take[kind], values: values(kind) }])),
});

/** A project whose takes have no samples. */
export const withoutSamples = (project: Project): Project => ({
  ...project,
  takes: project.takes.map((take) => withValues(take, () => new Float64Array(0))),
});

export const takeOutline = (take: Take): TakeOutline => ({
  ...withValues(take, () => new Float64Array(0)),
  source: { ...take.source, bytes: new Uint8Array() },
  lengths: {
    translations: take.translations.values.length,
    rotations: take.rotations.values.length,
    scales: take.scales.values.length,
  },
});

export const takeWithRoom = ({ lengths, ...take }: TakeOutline): Take =>
  withValues(take, (kind) => new Float64Array(lengths[kind]));

/** A take with samples that are there already. */
export const takeWithValues = (
  { lengths: _, ...take }: TakeOutline,
  values: Readonly<Record<TrackKind, Float64Array>>,
): Take => withValues(take, (kind) => values[kind]);
