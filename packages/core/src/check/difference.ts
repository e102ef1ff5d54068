import { compileStack } from '../evaluate/compile.js';
import { evaluateStack } from '../evaluate/evaluate.js';
import { finished, type Steps } from '../job/steps.js';
import type { Project } from '../layer/project.js';
import { DEGREES } from '../math/euler.js';
import { angleBetween } from '../math/quaternion.js';
import { facesOf } from '../rig/members.js';
import { globalMatrices, globalOrientations, restPose, rigHeight } from '../rig/pose.js';

/** How far apart two motions of one rig are where they are furthest: in units of the rig, in degrees, and as plain numbers. */
export interface Difference {
  readonly length: number;
  readonly angle: number;
  /** Of face channels. */
  readonly number: number;
  /** The joint that is moved or turned most, or the face channel that is changed most, and at which frame. */
  readonly joint: string;
  readonly frame: number;
}

/** A length that is as bad as a degree, in parts of the height, and a number of a face channel. */
const AS_A_DEGREE = 0.01;
const NUMBER_AS_A_DEGREE = 0.02;

/** By how much what is seen of two projects differs, at every whole frame of the first's range, joint by joint in the world. */
export const differenceOver = (a: Project, b: Project): Difference => finished(differenceSteps(a, b));

/** The same, a frame a step. */
export function* differenceSteps(a: Project, b: Project): Steps<Difference> {
  const { range } = a;
  const { rig } = a;
  const n = rig.joints.length;
  const height = rigHeight(rig);
  const [one, other] = [a, b].map((project) => ({
    stack: compileStack(project),
    pose: restPose(rig),
    matrices: new Float64Array(16 * n),
    turns: new Float64Array(4 * n),
  }));
  let length = 0;
  let angle = 0;
  let number = 0;
  let worst = 0;
  let at = { joint: '', frame: range[0] };
  for (let frame = Math.ceil(range[0] - 1e-6); frame <= range[1] + 1e-6; frame++) {
    yield (frame - range[0]) / Math.max(1, range[1] - range[0]);
    for (const { stack, pose, matrices, turns } of [one, other]) {
      evaluateStack(stack, frame, pose);
      globalMatrices(rig, pose, matrices);
      globalOrientations(rig, pose, turns);
    }
    for (let j = 0; j < n; j++) {
      const o = 16 * j + 12;
      const moved = Math.hypot(
        one.matrices[o] - other.matrices[o],
        one.matrices[o + 1] - other.matrices[o + 1],
        one.matrices[o + 2] - other.matrices[o + 2],
      );
      const turned = angleBetween(one.turns, 4 * j, other.turns, 4 * j) * DEGREES;
      length = Math.max(length, moved);
      angle = Math.max(angle, turned);
      const bad = Math.max(moved / (AS_A_DEGREE * height), turned);
      if (bad <= worst) continue;
      worst = bad;
      at = { joint: rig.joints[j].name, frame };
    }
    for (const [f, { name }] of facesOf(rig).entries()) {
      const changed = Math.abs(one.pose.faces[f] - other.pose.faces[f]);
      number = Math.max(number, changed);
      if (changed / NUMBER_AS_A_DEGREE <= worst) continue;
      worst = changed / NUMBER_AS_A_DEGREE;
      at = { joint: name, frame };
    }
  }
  return { length, angle, number, ...at };
}
