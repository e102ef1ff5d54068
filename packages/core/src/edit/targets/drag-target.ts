import { placedBelow } from '../../check/standing.js';
import { axesOfJoint, findAxes } from '../../evaluate/axes.js';
import { compileStack } from '../../evaluate/compile.js';
import type { CompiledStack } from '../../evaluate/compiled.js';
import { alphaAt } from '../../evaluate/evaluate.js';
import { targetsOf } from '../../layer/content.js';
import { layerIndex, type Project } from '../../layer/project.js';
import { PLACE_AXES, type Target, type TargetField, TURN_AXES } from '../../layer/target.js';
import { DEGREES, eulerToQuaternion, quaternionToEuler, RADIANS, unwindEuler } from '../../math/euler.js';
import { multiply, multiplyByInverse, multiplyInverse, power, rotate } from '../../math/quaternion.js';
import { compiledLimbs, limbThatEnds } from '../../rig/compiled-limbs.js';
import type { Placed } from '../../rig/placed.js';
import { rigHeight } from '../../rig/pose.js';
import { jointIndex } from '../../rig/rig.js';
import { SMALLEST_ALPHA } from '../../solve/solve.js';
import { frameOfAddress, setValue } from '../keys/curves.js';
import { scalarAtOwn } from './spaces.js';

/** Where a joint is wanted in the scene: its place, its orientation, or both. */
export interface WantedPlace {
  readonly place?: readonly number[];
  readonly orientation?: readonly number[];
}

/** A project in which a target was dragged, and how far its joint is from where it is wanted, in units of the rig. */
export interface Dragged {
  readonly project: Project;
  readonly gap: number;
}

/** Corrections without getting nearer after which it is left. */
const MOST_IDLE = 5;
/** Parts of the height, or radians, that are near enough. */
const CLOSE = 1e-9;

/** Why a target cannot be dragged, in words for people: it counts too little; undefined where it can. */
export function dragRefusal(
  stack: CompiledStack,
  index: number,
  target: Target,
  frame: number,
): string | undefined {
  if (target.path) return `${target.joint} goes along a path: drag its points, or how far it has come`;
  return alphaOf(stack, index, target, frame) < SMALLEST_ALPHA
    ? `${stack.layers[index].layer.name} counts too little at this frame`
    : undefined;
}

function alphaOf(stack: CompiledStack, index: number, { joint }: Target, frame: number): number {
  const j = jointIndex(stack.rig, joint);
  const limb = limbThatEnds(compiledLimbs(stack.rig, stack.limbs), j);
  return alphaAt(stack, index, limb ? limb.chain[limb.chain.length - 2] : j, frame);
}

/**
 * Sets a target so that its joint is seen where it is wanted at a frame, whatever the layer counts and whatever lies above:
 * by repeated correction. Numbers are set everywhere, curves get a key. A limb that cannot reach comes as near as it can.
 */
export function dragTarget(
  project: Project,
  id: string,
  target: string,
  frame: number,
  wanted: WantedPlace,
): Dragged {
  const index = layerIndex(project, id);
  const height = rigHeight(project.rig);
  let current = project;
  let stack: CompiledStack | undefined;
  let best = { project, gap: Number.POSITIVE_INFINITY, score: Number.POSITIVE_INFINITY };
  for (let idle = 0; idle < MOST_IDLE; ) {
    stack = compileStack(current, stack);
    const one = targetsOf(current.layers[index]).find((other) => other.id === target);
    if (!one) return { project, gap: 0 };
    const { off, turn } = missing(placedBelow(stack, frame, stack.layers.length), one, wanted);
    const gap = Math.hypot(...off);
    const turned = turn ? 2 * Math.atan2(Math.hypot(turn[0], turn[1], turn[2]), Math.abs(turn[3])) : 0;
    const score = gap / height + turned;
    idle = score < 0.95 * best.score ? 0 : idle + 1;
    if (score < best.score) best = { project: current, gap, score };
    if (score < CLOSE) break;
    current = corrected(current, stack, index, one, frame, off, turn);
  }
  return { project: best.project, gap: best.gap };
}

/** What is missing of where a joint is wanted: the way, and the turn in the scene. */
function missing(
  { rig, matrices, orientations }: Placed,
  { joint }: Target,
  { place, orientation }: WantedPlace,
): { off: number[]; turn: number[] | undefined } {
  const j = jointIndex(rig, joint);
  const off = [0, 1, 2].map((axis) => (place ? place[axis] - matrices[16 * j + 12 + axis] : 0));
  if (!orientation) return { off, turn: undefined };
  const turn = [0, 0, 0, 1];
  multiplyByInverse(turn, 0, [...orientation], 0, orientations, 4 * j);
  return { off, turn };
}

/** The project with a target moved and turned by what is missing. */
function corrected(
  project: Project,
  stack: CompiledStack,
  index: number,
  target: Target,
  frame: number,
  off: readonly number[],
  turn: readonly number[] | undefined,
): Project {
  const layer = project.layers[index];
  const alpha = Math.max(SMALLEST_ALPHA, alphaOf(stack, index, target, frame));
  const axes = spaceAxes(stack, index, target, frame);
  const way = off.map((value) => value / alpha);
  rotate(way, 0, [-axes[0], -axes[1], -axes[2], axes[3]], 0, way, 0);
  const address = (field: TargetField, channel: (typeof PLACE_AXES)[number] | (typeof TURN_AXES)[number]) =>
    ({ kind: 'target', layer: layer.id, target: target.id, joint: target.joint, field, channel }) as const;
  const own = frameOfAddress(project, address('at', 'tx'), frame);
  let next = PLACE_AXES.reduce(
    (current, axis, k) =>
      way[k] === 0
        ? current
        : setValue(current, address('at', axis), frame, scalarAtOwn(target.at[axis], own) + way[k]),
    project,
  );
  if (!turn || !target.turn) return next;
  const angles = TURN_AXES.map((axis) => scalarAtOwn(target.turn![axis], own) * RADIANS);
  const q = [0, 0, 0, 1];
  eulerToQuaternion(q, 0, 'YXZ', angles, 0);
  const delta = [...turn];
  power(delta, 0, delta, 0, 1 / alpha);
  // In the axes of the space: A⁻¹ · δ · A.
  multiply(delta, 0, delta, 0, axes, 0);
  multiplyInverse(delta, 0, axes, 0, delta, 0);
  multiply(q, 0, delta, 0, q, 0);
  const found = [0, 0, 0];
  quaternionToEuler(found, 0, 'YXZ', q, 0);
  unwindEuler(found, 0, 'YXZ', angles, 0);
  next = TURN_AXES.reduce(
    (current, axis, k) => setValue(current, address('turn', axis), frame, found[k] * DEGREES),
    next,
  );
  return next;
}

/** The turn of the axes in which a target is meant. */
function spaceAxes(stack: CompiledStack, index: number, target: Target, frame: number): Float64Array {
  const { layer, additive } = stack.layers[index];
  const axes = Float64Array.of(0, 0, 0, 1);
  if (additive && layer.axes !== 'joint') {
    findAxes(stack, layer.axes, placedBelow(stack, frame, index).pose);
    return axesOfJoint(stack, jointIndex(stack.rig, target.joint)).slice();
  }
  const name = additive ? target.joint : target.space;
  if (name === undefined) return axes;
  const { orientations } = placedBelow(stack, frame, additive ? index : index + 1);
  const j = jointIndex(stack.rig, name);
  return orientations.slice(4 * j, 4 * j + 4);
}
