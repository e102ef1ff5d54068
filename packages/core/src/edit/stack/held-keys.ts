import { differenceSteps } from '../../check/difference.js';
import { compileStack } from '../../evaluate/compile.js';
import type { CompiledStack } from '../../evaluate/compiled.js';
import { jointsHeld } from '../../evaluate/contacts/contact-step.js';
import { applyLayers } from '../../evaluate/evaluate.js';
import { contactStepOf, targetStepOf } from '../../evaluate/steps/step.js';
import { jointsMoved } from '../../evaluate/steps/target-step.js';
import { partly, type Steps } from '../../job/steps.js';
import { keyed } from '../../layer/content.js';
import { freeColor, freeName, insertLayer } from '../../layer/insert.js';
import { newLayer } from '../../layer/layer.js';
import { layerById, type Project } from '../../layer/project.js';
import { copyPose, restPose } from '../../rig/pose.js';
import { type ChannelValues, channelsOfPose } from '../../solve/solve.js';
import { addPoints, curvesThrough, type Points } from '../keys/curves-through.js';
import { type Converted, closest, countKeys } from './convert.js';

/** The joints that layers of a stack hold by targets and contacts, with whether they are moved against their parent. */
function heldJoints({ layers, live }: CompiledStack): Map<number, boolean> {
  const held = new Map<number, boolean>();
  for (const [index, { steps }] of layers.entries()) {
    if (!live[index]) continue;
    const targets = targetStepOf(steps);
    const contacts = contactStepOf(steps);
    const turned = [...(targets ? jointsMoved(targets) : []), ...(contacts ? jointsHeld(contacts) : [])];
    for (const j of turned) held.set(j, held.get(j) ?? false);
    for (const { limb, joint } of targets?.targets ?? []) if (!limb) held.set(joint, true);
    for (const root of contacts?.lowered ?? []) held.set(root, true);
  }
  return held;
}

/** Why nothing that is held can become keys, in words for people; undefined where it can. `joints` as in {@link heldKeysSteps}. */
export function heldKeysRefusal(project: Project, joints: readonly number[]): string | undefined {
  const held = heldJoints(compileStack(project));
  if (held.size === 0) return 'No layer that counts holds anything by targets or contacts';
  return joints.length === 0 || joints.some((j) => held.has(j))
    ? undefined
    : 'None of the picked joints is held by targets or contacts';
}

/**
 * Makes keys of what targets and contacts hold, on an override layer of its own right above the uppermost layer that holds
 * something: all joints that are held, or those of `joints` that are. What is seen stays at whole frames, and between them
 * to within the difference that is measured. The layers that hold stay as they are, covered.
 */
export function* heldKeysSteps(
  project: Project,
  joints: readonly number[],
): Steps<Converted & { readonly id: string }> {
  const stack = compileStack(project);
  const held = [...heldJoints(stack)].filter(([j]) => joints.length === 0 || joints.includes(j));
  const top = stack.layers.findLastIndex(
    ({ steps }, index) => stack.live[index] && (targetStepOf(steps) ?? contactStepOf(steps)),
  );
  const points: Points = new Map();
  const before = new Map<number, ChannelValues>();
  const pose = restPose(project.rig);
  const [first, last] = project.range;
  for (let frame = Math.ceil(first); frame <= last; frame++) {
    yield (0.6 * (frame - first)) / Math.max(1, last - first);
    copyPose(pose, stack.rest);
    applyLayers(stack, frame, 0, top + 1, pose);
    for (const [j, moved] of held) {
      const { rx, ry, rz, ...place } = channelsOfPose(stack, j, pose, before.get(j));
      const values = { rx, ry, rz, ...(moved && place) };
      before.set(j, values);
      addPoints(points, j, frame, values);
    }
  }
  // Between two layers of a group it belongs to the group.
  const [group, above] = [top, top + 1].map((index) => project.layers[index]?.group);
  const plain = newLayer(freeName(project, 'Held joints', true), 'override', {
    color: freeColor(project),
    ...(group !== undefined && group === above && { group }),
  });
  function* made(tolerance: number): Steps<Converted> {
    const content = keyed(curvesThrough(project, points, new Set(), tolerance));
    const result = insertLayer(project, { ...plain, content }, top + 1);
    const difference = yield* partly(differenceSteps(project, result), 0.6, 1);
    return { project: result, ...difference, keys: [0, countKeys(layerById(result, plain.id)!)] };
  }
  return { ...(yield* closest(project, made)), id: plain.id };
}
