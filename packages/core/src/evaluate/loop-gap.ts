import { type Layer, newLayer } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { DEGREES } from '../math/euler.js';
import { angleBetween } from '../math/quaternion.js';
import { restPose } from '../rig/pose.js';
import { compileStack } from './compile.js';
import { evaluateStack } from './evaluate.js';

/** How far a loop is from closing: what its content jumps by where a cycle ends and the next one begins. */
export interface LoopGap {
  /** Degrees of the joint that turns the most there, and its name. */
  readonly degrees: number;
  readonly turned: string;
  /** Units of the rig of the joint that is moved the most against its parent, and its name. */
  readonly distance: number;
  readonly moved: string;
}

/** Frames before the seam at which the end of a cycle is looked at. */
const BEFORE = 1e-4;

/** The gap of a layer that loops, at full weight in every part; undefined where it does not loop. */
export function loopGap(project: Project, layer: Layer): LoopGap | undefined {
  if (!layer.time || layer.time.loop === 'none') return undefined;
  const alone: Layer = {
    ...newLayer(layer.name, layer.mode, { content: layer.content }),
    time: { ...layer.time, offset: 0, speed: 1 },
  };
  const layers = layer.mode === 'additive' ? [newLayer('rest', 'override'), alone] : [alone];
  const stack = compileStack({ ...project, layers });
  const { start, length, loop } = stack.layers[layers.length - 1].time;
  if (loop === 'none' || length <= BEFORE) return undefined;
  const [end, next] = [restPose(project.rig), restPose(project.rig)];
  evaluateStack(stack, start + length - BEFORE, end);
  evaluateStack(stack, start + length, next);
  let gap: LoopGap = { degrees: 0, turned: '', distance: 0, moved: '' };
  for (const [j, { name }] of project.rig.joints.entries()) {
    const degrees = angleBetween(end.rotations, 4 * j, next.rotations, 4 * j) * DEGREES;
    const distance = Math.hypot(
      ...[0, 1, 2].map((axis) => next.translations[3 * j + axis] - end.translations[3 * j + axis]),
    );
    if (degrees > gap.degrees) gap = { ...gap, degrees, turned: name };
    if (distance > gap.distance) gap = { ...gap, distance, moved: name };
  }
  return gap;
}
