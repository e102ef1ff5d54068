import { placedBelow } from '../../check/standing.js';
import { compileStack } from '../../evaluate/compile.js';
import { targetsOf } from '../../layer/content.js';
import { layerById, layerIndex, type Project } from '../../layer/project.js';
import { DEGREES, eulerToQuaternion, quaternionToEuler, RADIANS } from '../../math/euler.js';
import { multiply, multiplyByInverse, multiplyInverse, rotate } from '../../math/quaternion.js';
import { emptyRecord } from '../../record.js';
import { compiledLimbs, limbThatEnds } from '../../rig/compiled-limbs.js';
import { orientJoint, type Placed, placeBelow, putJoint } from '../../rig/placed.js';
import { reachIn } from '../../rig/reach.js';
import { jointIndex } from '../../rig/rig.js';
import { rootOf } from '../../rig/topology.js';
import type { WantedTransform } from '../../solve/beneath.js';
import { type ChannelValues, solvePose } from '../../solve/solve.js';
import { keyPose } from '../keys/keys.js';
import { placementAt, setPlacement } from '../scene/placement.js';
import { placedCharacter, spaceAt } from '../scene/placement-space.js';
import { dragTarget } from './drag-target.js';
import { setTargetTurn } from './targets.js';

/** What of one thing is put onto another: where it is, how it is turned, or both. */
export type Snapped = 'place' | 'turn' | 'both';

/** Where something is to be put: a joint or prop by name, or a place of the scene. */
export type SnapGoal = string | { readonly at: readonly number[] };

/** The place and the orientation of a goal among some joints; a place of the scene has no orientation. */
function goalIn(placed: Placed, goal: SnapGoal): { place: Float64Array; turn: Float64Array | undefined } {
  if (typeof goal !== 'string') return { place: Float64Array.from(goal.at), turn: undefined };
  const j = jointIndex(placed.rig, goal);
  return {
    place: placed.matrices.slice(16 * j + 12, 16 * j + 15),
    turn: placed.orientations.slice(4 * j, 4 * j + 4),
  };
}

/**
 * Puts a joint or prop exactly onto a goal at some frames, on a layer: by its target where the layer has one on it, else as keys of the
 * joint, or of the limb whose end it is. A frame at which the layer cannot show it is left out.
 */
export function snapJoint(
  project: Project,
  id: string,
  joint: string,
  goal: SnapGoal,
  what: Snapped,
  frames: readonly number[],
): Project {
  return frames.reduce((current, frame) => {
    const layer = layerById(current, id);
    const target = layer && targetsOf(layer).findLast((one) => one.joint === joint && !one.path);
    return target
      ? snapTarget(current, id, target.id, joint, goal, what, frame)
      : snapKeys(current, id, joint, goal, what, frame);
  }, project);
}

function snapTarget(
  project: Project,
  id: string,
  target: string,
  joint: string,
  goal: SnapGoal,
  what: Snapped,
  frame: number,
): Project {
  const placed = placedBelow(compileStack(project), frame, project.layers.length);
  const { place, turn } = goalIn(placed, goal);
  const j = jointIndex(project.rig, joint);
  const own = [...placed.matrices.subarray(16 * j + 12, 16 * j + 15)];
  const orientation = what === 'place' || !turn ? undefined : [...turn];
  const turning = orientation ? setTargetTurn(project, id, target, true, frame) : project;
  return dragTarget(turning, id, target, frame, {
    place: what === 'turn' ? own : [...place],
    ...(orientation && { orientation }),
  }).project;
}

function snapKeys(
  project: Project,
  id: string,
  joint: string,
  goal: SnapGoal,
  what: Snapped,
  frame: number,
): Project {
  const { rig, limbs } = project;
  const stack = compileStack(project);
  const index = layerIndex(project, id);
  const placed = placedBelow(stack, frame, stack.layers.length);
  const j = jointIndex(rig, joint);
  const limb = limbThatEnds(compiledLimbs(rig, limbs), j);
  const { place, turn } = goalIn(placed, goal);
  if (what !== 'turn') {
    if (limb) reachIn(placed, limb, place);
    else putJoint(placed, j, place);
    placeBelow(placed, limb?.chain[0] ?? j);
  }
  if (what !== 'place' && turn) orientJoint(placed, j, turn);
  const { pose } = placed;
  const moved = what === 'turn' || !limb ? [j] : limb.chain;
  const wanted = new Map<number, WantedTransform>(
    moved.map((one) => [
      one,
      {
        rotation: [...pose.rotations.subarray(4 * one, 4 * one + 4)],
        ...(!limb &&
          what !== 'turn' && { translation: [...pose.translations.subarray(3 * one, 3 * one + 3)] }),
      },
    ]),
  );
  const values = solvePose(stack, frame, index, wanted);
  if (!values) return project;
  const byName = emptyRecord<ChannelValues>();
  for (const [one, channels] of values) byName[rig.joints[one].name] = channels;
  return keyPose(project, id, frame, byName);
}

/** Places a layer's whole performance so that the root of its character is exactly on a goal at a frame. */
export function snapPlacement(
  project: Project,
  id: string,
  goal: SnapGoal,
  what: Snapped,
  frame: number,
): Project {
  const layer = layerById(project, id);
  if (!layer) return project;
  const placed = placedBelow(compileStack(project), frame, layerIndex(project, id) + 1);
  const root = rootOf(project.rig, placedCharacter(project, layer));
  const { place, turn } = goalIn(placed, goal);
  const space = spaceAt(project, layer, placed, layer.placement?.space);
  const back = [-space.turn[0], -space.turn[1], -space.turn[2], space.turn[3]];
  const now = placementAt(project, id, frame);
  const pivot = layer.placement?.pivot ?? [0, 0, 0];
  const inSpace = (at: ArrayLike<number>): number[] => {
    const way = [0, 1, 2].map((axis) => (at[axis] - space.origin[axis]) / space.length);
    rotate(way, 0, back, 0, way, 0);
    return way;
  };
  const own = inSpace(placed.matrices.subarray(16 * root + 12, 16 * root + 15));
  const q = [0, 0, 0, 1];
  eulerToQuaternion(
    q,
    0,
    'YXZ',
    [now.rx, now.ry, now.rz].map((angle) => angle * RADIANS),
    0,
  );
  // What the root has to turn by in the space, and the placement with it, about the root.
  const by = [0, 0, 0, 1];
  if (what !== 'place' && turn) {
    multiplyByInverse(by, 0, [...turn], 0, [...placed.orientations.subarray(4 * root, 4 * root + 4)], 0);
    multiply(by, 0, by, 0, [...space.turn], 0);
    multiplyInverse(by, 0, [...space.turn], 0, by, 0);
  }
  multiply(q, 0, by, 0, q, 0);
  const angles = [0, 0, 0];
  quaternionToEuler(angles, 0, 'YXZ', q, 0);
  const arm = [now.tx, now.ty, now.tz].map((value, axis) => pivot[axis] + value - own[axis]);
  rotate(arm, 0, by, 0, arm, 0);
  const to = what === 'turn' ? own : inSpace(place);
  const [tx, ty, tz] = arm.map((value, axis) => to[axis] + value - pivot[axis]);
  const [rx, ry, rz] = angles.map((angle) => angle * DEGREES);
  return setPlacement(project, id, frame, { tx, ty, tz, rx, ry, rz });
}
