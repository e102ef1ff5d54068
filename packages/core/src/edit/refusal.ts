import { isCurve } from '../curve/curve.js';
import { compileStack } from '../evaluate/compile.js';
import type { CompiledStack } from '../evaluate/compiled.js';
import { alphaAt } from '../evaluate/evaluate.js';
import { layerWeight, spanFactor } from '../evaluate/gate.js';
import { type CurveAddress, scalarAtAddress } from '../layer/address.js';
import { channelsOfMember } from '../layer/layer.js';
import { frameNumber, type Project } from '../layer/project.js';
import { entryOf } from '../record.js';
import { memberName } from '../rig/members.js';
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

/**
 * Why joints and face channels, by index among the members of the rig, cannot be posed together on layer `index` at a frame; undefined if they can. What a layer is limited
 * to is asked for all of them at once.
 */
export function poseRefusal(
  project: Project,
  stack: CompiledStack,
  index: number,
  joints: readonly number[],
  frame: number,
): Refusal | undefined {
  const { id, name, allows } = stack.layers[index].layer;
  const shut = joints
    .map((j) => memberName(stack.rig, j))
    .filter((joint) => allows && !entryOf(allows, joint)?.length);
  if (shut.length > 0) {
    const opened = Object.fromEntries(shut.map((joint) => [joint, channelsOfMember(stack.rig, joint)]));
    return {
      reason: `${name} is limited to other joints than ${listed(shut)}`,
      remedy: shut.length === 1 ? `Let it key ${shut[0]}` : `Let it key these ${shut.length} joints`,
      apply: (p) => changeLayer(p, id, (l) => ({ ...l, allows: { ...l.allows, ...opened } })),
    };
  }
  for (const j of joints) {
    const refusal = jointRefusal(project, stack, index, j, frame);
    if (refusal) return refusal;
  }
  return undefined;
}

/** A few names, and how many there are beside them. */
const listed = (names: readonly string[]): string =>
  names.length <= 3 ? names.join(', ') : `${names.slice(0, 2).join(', ')} and ${names.length - 2} more`;

/** Why joint `j` counts too little on layer `index` at a frame to be posed there; undefined if it does not. */
function jointRefusal(
  project: Project,
  stack: CompiledStack,
  index: number,
  j: number,
  frame: number,
): Refusal | undefined {
  const compiled = stack.layers[index];
  const { layer } = compiled;
  const joint = memberName(stack.rig, j);
  const { id, name } = layer;
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
    // A span that follows keys comes along with a key here: what else is in the way counts.
    if (layer.follows) {
      const opened = extendSpan(project, id, frame);
      return jointRefusal(opened, compileStack(opened, stack), index, j, frame);
    }
    return {
      reason: `Frame ${Math.round(frameNumber(project, frame))} is outside the span of ${name}`,
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
