import { type Reference, takeOf } from '../../layer/content.js';
import type { LayerTime } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import { PLAIN_TIME, SHORTEST_CYCLE } from '../../layer/time.js';
import { changeLayer } from '../change.js';

/**
 * Sets parts of a layer's time; undefined lets it play as it is. A cycle whose ends cross is put in order, one that is too
 * short to come round is as long as it has to be.
 */
export function setTime(project: Project, id: string, values: Partial<LayerTime> | undefined): Project {
  return changeLayer(project, id, (layer) => {
    if (!values) return { ...layer, time: undefined };
    const { cycle, ...time } = { ...PLAIN_TIME, ...layer.time, ...values };
    const start = cycle && Math.min(...cycle);
    const ordered =
      start !== undefined &&
      ([start, start === Math.max(...cycle!) ? start : Math.max(start + SHORTEST_CYCLE, ...cycle!)] as const);
    return { ...layer, time: { ...time, ...(ordered && { cycle: ordered }) } };
  });
}

/** Sets what the take of an additive layer is a change from; a sample past its end becomes the last. */
export function setReference(project: Project, id: string, reference: Reference): Project {
  return changeLayer(project, id, (layer) => {
    const take = project.takes.find((candidate) => candidate.id === takeOf(layer)?.take);
    if (!take || layer.content.kind !== 'take') return layer;
    const clamped =
      typeof reference === 'number'
        ? Math.max(0, Math.min(take.count - 1, Math.round(reference)))
        : reference;
    return { ...layer, content: { ...layer.content, reference: clamped } };
  });
}
