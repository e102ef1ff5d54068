import { type CompiledScalar, compileScalar } from '../curve/evaluate.js';
import type { Layer } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { entryOf } from '../record.js';
import { memberNames } from '../rig/members.js';

/** What the weight of a joint or face channel within a layer is made of: mask value and further factor, as indices into `scalars`. */
export interface Count {
  readonly mask: number;
  readonly factor: number;
}

/** In place of an index into `scalars`: a plain 1, and a plain 0. */
export const FULL = -1;
export const NONE = -2;

const IN_FULL: Count = { mask: FULL, factor: FULL };

/** How each member of the rig counts in a layer, and the scalars that this needs. */
export function countsOf(
  layer: Layer,
  { rig, parts }: Pick<Project, 'rig' | 'parts'>,
): { counts: Count[]; scalars: CompiledScalar[] } {
  const scalars: CompiledScalar[] = [];
  if (!layer.mask && !layer.joints) return { counts: memberNames(rig).map(() => IN_FULL), scalars };
  const slots = new Map<string, number>();
  const slotOf = (
    kind: string,
    name: string,
    scalar: Layer['weight'] | undefined,
    missing: number,
  ): number => {
    if (scalar === undefined) return missing;
    if (typeof scalar === 'number' && scalar >= 1) return FULL;
    if (typeof scalar === 'number' && scalar <= 0) return NONE;
    const key = `${kind} ${name}`;
    let slot = slots.get(key);
    if (slot === undefined) {
      slot = scalars.push(compileScalar(scalar)) - 1;
      slots.set(key, slot);
    }
    return slot;
  };
  const counts = memberNames(rig).map(
    (name, j): Count => ({
      mask: layer.mask ? slotOf('part', parts[j], entryOf(layer.mask, parts[j]), NONE) : FULL,
      factor: slotOf('joint', name, entryOf(layer.joints, name), FULL),
    }),
  );
  return { counts, scalars };
}
