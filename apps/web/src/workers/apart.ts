import type { Layer, Project } from '@evlay/core';
import { componentsOf, likenessOf, seenOf, startApart, takeApart, usualCount } from '@evlay/core/bake';
import { type KeysJob, type MotionError, usualLimits } from '@evlay/core/keys';

/** What a finished take is made of beyond the base: how much each pose change of a part explains, the strongest first. */
export interface Explained {
  readonly components: readonly { readonly parts: readonly string[]; readonly share: number }[];
  /** How many of them are layers where nobody says. */
  readonly usual: number;
  /** How alike the two motions are, from 1, the same, to 0 and below. */
  readonly alike: number;
}

/** Layers over the base that give the finished take, the last with what is left; how large that is, and how far the sum is off. */
export interface ApartLayers {
  readonly layers: readonly Layer[];
  readonly left: MotionError;
  readonly error: MotionError;
}

/** Parts that are told. */
const TOLD = 16;
const LEAST = 5e-4;

function startOf(project: Project, take: string) {
  const finished = project.takes.find(({ id }) => id === take)!;
  return startApart({ ...project, layers: project.layers.slice(0, 1) }, finished);
}

/** What the difference of a finished take from the base is made of. */
export function explained(project: Project, take: string): Explained {
  const { project: base, finished } = startOf(project, take);
  const own = seenOf(base);
  const components = componentsOf(base.rig, base.parts, own, finished);
  return {
    components: components
      .slice(0, TOLD)
      .flatMap(({ parts, share }) => (share > LEAST ? [{ parts, share }] : [])),
    usual: usualCount(components),
    alike: likenessOf(own, finished),
  };
}

/** The layers themselves. */
export async function apartLayers(
  project: Project,
  take: string,
  count: number,
  job: Required<KeysJob>,
): Promise<ApartLayers> {
  const { project: base, finished } = startOf(project, take);
  const apart = await takeApart(base, finished, { ...usualLimits(base.rig), count }, job);
  return { layers: apart.project.layers.slice(1), left: apart.left, error: apart.rest.error };
}
