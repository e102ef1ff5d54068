import type { CompiledLayer } from '../compiled.js';
import { contactStepOf, targetStepOf } from '../steps/step.js';
import type { ContactStep } from './contact-step.js';

/**
 * Which of the layers below one with contacts decide where its limbs are, 1 for each that does: those that move a joint of the limbs or one
 * that these hang on, and what their own targets and contacts hang on. Layers of other characters that nothing reaches for do not.
 */
export function layersSeen(
  step: ContactStep,
  layers: readonly CompiledLayer[],
  index: number,
  parents: Int32Array,
): Uint8Array {
  const needed = new Uint8Array(parents.length);
  const need = (joint: number): void => {
    for (let j = joint; j >= 0 && !needed[j]; j = parents[j]) needed[j] = 1;
  };
  const needContacts = ({ limbs, space, lowered }: ContactStep): void => {
    for (const { limb, points } of limbs) {
      for (const j of limb.chain) need(j);
      for (const { joint } of points) need(joint);
    }
    for (const j of lowered) need(j);
    need(space);
  };
  needContacts(step);
  const seen = new Uint8Array(index);
  for (let k = index - 1; k >= 0; k--) {
    const { touched, steps, placement } = layers[k];
    if (!touched.some((j) => needed[j])) continue;
    seen[k] = 1;
    const held = contactStepOf(steps);
    if (held) needContacts(held);
    for (const { joint, limb, space } of targetStepOf(steps)?.targets ?? []) {
      need(joint);
      need(space);
      for (const j of limb?.chain ?? []) need(j);
    }
    if (placement?.space !== undefined) need(placement.space);
  }
  return seen;
}
