import { jointChildren, type Rig } from '../rig/rig.js';
import { rolesOf } from '../rig/roles.js';
import { type Spot, spotOf } from '../take/watch.js';
import { handsOf } from './contacts.js';

/** A line of the body from one place to another, on the capture and on the character. */
export interface Line {
  readonly theirs: readonly [Spot, Spot];
  readonly own: readonly [Spot, Spot];
}

/** A hand of the character that follows one of the capture. */
export interface Hand {
  readonly own: Spot;
  readonly theirs: Spot;
  /** The joint of the capture from which its arm hangs. */
  readonly theirShoulder: number;
}

/** The hands of a character that follow hands of a capture, and the lines of its body to which they may come near. */
export interface Nearness {
  readonly hands: readonly Hand[];
  readonly lines: readonly Line[];
}

/**
 * What is compared of two bodies: hands, the pelvis from one thigh to the other, both thighs, and the head. What only one of
 * the two has is left out. `follows` has for each joint of the character the joint of the capture that it follows, or -1.
 */
export function nearnessOf(source: Rig, target: Rig, follows: Int32Array): Nearness {
  const roles = rolesOf(target);
  const jointOf = (role: string): number => {
    const joint = roles.findIndex((one) => one?.role === role);
    return joint >= 0 && follows[joint] >= 0 ? joint : -1;
  };
  const own = handsOf(target);
  const hands = ['left', 'right'].flatMap((side): Hand[] => {
    const [shoulder, joint] = [jointOf(`${side}UpperArm`), jointOf(`${side}Hand`)];
    if (shoulder < 0 || joint < 0 || !own.includes(target.joints[joint].name)) return [];
    return [{ own: spotOf(joint), theirs: spotOf(follows[joint]), theirShoulder: follows[shoulder] }];
  });
  const between = (a: string, b: string): Line[] => {
    const [from, to] = [jointOf(a), jointOf(b)];
    if (from < 0 || to < 0) return [];
    return [{ own: [spotOf(from), spotOf(to)], theirs: [spotOf(follows[from]), spotOf(follows[to])] }];
  };
  return {
    hands,
    lines: [
      ...between('leftUpperLeg', 'rightUpperLeg'),
      ...between('leftUpperLeg', 'leftLowerLeg'),
      ...between('rightUpperLeg', 'rightLowerLeg'),
      ...headLine(source, target, jointOf('head'), follows),
    ],
  };
}

/** From the joint of the head to its end, where both have one; else the joint. */
function headLine(source: Rig, target: Rig, head: number, follows: Int32Array): Line[] {
  if (head < 0) return [];
  const [own, theirs] = [endOf(target, head), endOf(source, follows[head])];
  if (!own || !theirs)
    return [{ own: [spotOf(head), spotOf(head)], theirs: [spotOf(follows[head]), spotOf(follows[head])] }];
  return [{ own: [spotOf(head), own], theirs: [spotOf(follows[head]), theirs] }];
}

/** Where the bone of a joint ends: the first of its ends or of the joints that hang on it. */
function endOf(rig: Rig, joint: number): Spot | undefined {
  const [child] = jointChildren(rig)[joint];
  const offset = rig.joints[joint].ends[0] ?? rig.joints[child]?.translation;
  return offset && { joint, offset };
}
