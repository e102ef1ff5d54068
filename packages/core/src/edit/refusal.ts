import { isCurve } from '../curve/curve.js';
import type { CompiledStack } from '../evaluate/compiled.js';
import { alphaAt } from '../evaluate/evaluate.js';
import { layerWeight, spanFactor } from '../evaluate/gate.js';
import { type CurveAddress, scalarAtAddress } from '../layer/address.js';
import { CHANNELS } from '../layer/content.js';
import type { Project } from '../layer/project.js';
import { entryOf } from '../record.js';
import { partLabel } from '../rig/parts.js';
import { SMALLEST_ALPHA } from '../solve/solve.js';
import { changeLayer } from './change.js';
import { keyValue, setValue } from './keys/curves.js';
import { setLayer } from './stack/layers.js';
import { extendSpan } from './weights/span.js';

/** Why a layer takes no pose, in words for people, and the edit that removes the reason. */
export interface Refusal {
  readonly reason: string;
  readonly remedy: string;
  readonly apply: (project: Project) => Project;
}

/** Why joint `j` cannot be posed on layer `index` at a frame; undefined if it can. */
export function poseRefusal(
  project: Project,
  stack: CompiledStack,
  index: number,
  j: number,
  frame: number,
): Refusal | undefined {
  const compiled = stack.layers[index];
  const { layer } = compiled;
  const joint = stack.rig.joints[j].name;
  const { id, name } = layer;
  if (layer.allows && !entryOf(layer.allows, joint)?.length) {
    return {
      reason: `${name} is limited to other joints than ${joint}`,
      remedy: `Let it key ${joint}`,
      apply: (p) => changeLayer(p, id, (l) => ({ ...l, allows: { ...l.allows, [joint]: CHANNELS } })),
    };
  }
  if (alphaAt(stack, index, j, frame) >= SMALLEST_ALPHA) return undefined;
  if (layer.muted) {
    return {
      reason: `${name} is muted`,
      remedy: 'Unmute it',
      apply: (p) => setLayer(p, id, { muted: false }),
    };
  }
  if (!stack.live[index]) {
    return {
      reason: `Another layer is soloed`,
      remedy: `Solo ${name} too`,
      apply: (p) => setLayer(p, id, { solo: true }),
    };
  }
  if (spanFactor(layer.span, frame) < SMALLEST_ALPHA) {
    return {
      reason: `Frame ${Math.round(frame)} is outside the span of ${name}`,
      remedy: 'Stretch the span to here',
      apply: (p) => extendSpan(p, id, frame),
    };
  }
  if (layerWeight(compiled, frame) < SMALLEST_ALPHA) {
    const keyed = isCurve(layer.weight);
    return {
      reason: `${name} weighs nothing at this frame`,
      remedy: keyed ? 'Key its weight at 1 here' : 'Set its weight to 1',
      apply: (p) => (keyed ? keyValue : setValue)(p, { kind: 'weight', layer: id }, frame, 1),
    };
  }
  const part = project.parts[j];
  const ofPart: CurveAddress = { kind: 'part', layer: id, part };
  const counts = scalarAtAddress(layer, ofPart);
  if (layer.mask && (counts === 0 || (counts !== undefined && isCurve(counts)))) {
    return {
      reason: `The mask of ${name} shuts out the ${partLabel(part)}`,
      remedy: `Let the ${partLabel(part)} count`,
      apply: (p) => setValue(p, ofPart, frame, 1),
    };
  }
  return {
    reason: `${name} counts too little for ${joint} here`,
    remedy: `Let ${joint} count in full`,
    apply: (p) => setValue(setValue(p, { kind: 'joint', layer: id, joint }, frame, 1), ofPart, frame, 1),
  };
}
