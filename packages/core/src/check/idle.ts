import { compileStack } from '../evaluate/compile.js';
import type { CompiledLayer, CompiledStack } from '../evaluate/compiled.js';
import { alphaAt } from '../evaluate/evaluate.js';
import { memberAlpha } from '../evaluate/gate.js';
import type { Project } from '../layer/project.js';
import { isFace } from '../rig/members.js';

/**
 * The layers that do nothing: without content, or that count nowhere at any whole frame of the range. Those that are muted
 * or soloed away are not among them, since they were switched off on purpose, nor is the base.
 */
export function idleLayers(project: Project): string[] {
  const stack = compileStack(project);
  return stack.layers.flatMap((compiled, index) => {
    if (index === 0 || !stack.live[index]) return [];
    const members = membersTouched(stack, compiled);
    const counts = () => {
      for (let frame = Math.ceil(project.range[0]); frame <= project.range[1]; frame++)
        for (const j of members) if (memberAlpha(compiled, j, frame) > 0) return true;
      return false;
    };
    return members.length > 0 && counts() ? [] : [compiled.layer.id];
  });
}

/**
 * The layers of which nothing is to be seen in the range, because override layers above count in full wherever they count.
 * Those that do nothing anyway are not among them.
 */
export function coveredLayers(project: Project, stack: CompiledStack): string[] {
  const idle = idleLayers(project);
  return stack.layers.flatMap((compiled, index) => {
    if (!stack.live[index] || compiled.corrects || idle.includes(compiled.layer.id)) return [];
    const members = membersTouched(stack, compiled);
    const shows = () => {
      for (let frame = Math.ceil(project.range[0]); frame <= project.range[1]; frame++)
        for (const j of members)
          if (alphaAt(stack, index, j, frame) > 0 && showsThrough(stack, index, j, frame)) return true;
      return false;
    };
    return shows() ? [] : [compiled.layer.id];
  });
}

/** The joints and face channels that a layer touches, by index among the members of the rig. */
const membersTouched = ({ rig }: CompiledStack, { touched, faces }: CompiledLayer): number[] => [
  ...touched,
  ...[...faces].map((f) => rig.joints.length + f),
];

/** Whether anything of what lies below shows through the layers above in a joint or face channel at a frame. */
function showsThrough(stack: CompiledStack, index: number, j: number, frame: number): boolean {
  for (let above = index + 1; above < stack.layers.length; above++) {
    if (isFace(stack.rig, j)) {
      const { additive, faces } = stack.layers[above];
      const covers = stack.live[above] && !additive && faces.includes(j - stack.rig.joints.length);
      if (covers && alphaAt(stack, above, j, frame) === 1) return false;
      continue;
    }
    const { additive, corrects, slots, rotates, steps } = stack.layers[above];
    const slot = slots[j];
    if (!stack.live[above] || additive || corrects || slot < 0 || rotates[slot] === 0) continue;
    // A limb that reaches for a target keeps something of what it was; a root keeps its place unless that is keyed too.
    if (steps.some(({ kind }) => kind === 'targets')) continue;
    if (stack.rig.joints[j].parent < 0 && !moves(steps, j, slot)) continue;
    if (alphaAt(stack, above, j, frame) === 1) return false;
  }
  return true;
}

/** Whether any step moves a joint that a layer touches as its `slot`. */
function moves(steps: CompiledStack['layers'][number]['steps'], joint: number, slot: number): boolean {
  return steps.some((step) =>
    step.kind === 'take'
      ? step.translation[joint] >= 0
      : step.kind === 'channels' && (step.kinds[slot] & 1) > 0,
  );
}
