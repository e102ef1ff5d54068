import { liveLayers, type Project } from '@evlay/core';
import { valueAt } from '@evlay/core/edit';

/** Of some layers those whose weights count together: switched on, and not the base. */
export const weighed = ({ layers, groups }: Project, ids: readonly string[]): string[] => {
  const live = liveLayers(layers, groups);
  return layers.flatMap(({ id }, k) => (ids.includes(id) && live[k] && k > 0 ? [id] : []));
};

/** What the weights of some layers come to together at a frame. */
export const sumOfWeights = (project: Project, ids: readonly string[], frame: number): number =>
  ids.reduce((sum, layer) => sum + valueAt(project, { kind: 'weight', layer }, frame), 0);

/** Frames of the range at which a sum is looked at. */
const LOOKS = 100;

/** The largest sum of the weights of some layers over the range. */
export function largestSum(project: Project, ids: readonly string[]): number {
  const [from, to] = project.range;
  const own = weighed(project, ids);
  let most = 0;
  for (let k = 0; k <= LOOKS; k++)
    most = Math.max(most, sumOfWeights(project, own, from + (k / LOOKS) * (to - from)));
  return most;
}
