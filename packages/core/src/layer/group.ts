import type { Scalar } from '../curve/curve.js';
import { type Layer, newLayer } from './layer.js';

/** Layers that follow one another in the stack and are muted, soloed, weighed and moved as one. */
export interface Group {
  readonly id: string;
  readonly name: string;
  readonly muted: boolean;
  readonly solo: boolean;
  /** 0 to 1: a further factor of the weight of each of its layers. */
  readonly weight: Scalar;
}

/** The group that a layer is in. */
export const groupOf = (groups: readonly Group[], { group }: Pick<Layer, 'group'>): Group | undefined =>
  group === undefined ? undefined : groups.find(({ id }) => id === group);

/**
 * Which layers are switched on: not muted, themselves or by their group, and soloed, themselves or by their group, if
 * any layer is. The base is never soloed away.
 */
export function liveLayers(layers: readonly Layer[], groups: readonly Group[]): boolean[] {
  const states = layers.map((layer) => {
    const group = groupOf(groups, layer);
    return {
      muted: layer.muted || (group?.muted ?? false),
      solo: layer.solo || (group?.solo ?? false),
    };
  });
  const solo = states.some((state) => state.solo && !state.muted);
  return states.map((state, index) => !state.muted && (!solo || state.solo || index === 0));
}

/** Whether a layer is switched on. */
export const isLive = (layers: readonly Layer[], groups: readonly Group[], index: number): boolean =>
  liveLayers(layers, groups)[index];

const standIns = new WeakMap<Group, Layer>();

/**
 * A group as a layer without content, so that its weight can be addressed, read and keyed like that of a layer. The same
 * one as long as the group is the same.
 */
export function groupAsLayer(group: Group): Layer {
  let layer = standIns.get(group);
  if (!layer) {
    const { id, name, muted, solo, weight } = group;
    layer = newLayer(name, 'override', { id, muted, solo, weight });
    standIns.set(group, layer);
  }
  return layer;
}
