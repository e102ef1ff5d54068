import { layerById, type Pose, restPose } from '@evlay/core';
import { type CompiledLimb, copyPose, isWithin, reach, turnToward } from '@evlay/core/rig';
import { holdEnds, leanTowards, type WantedTransform } from '@evlay/core/solve';
import * as THREE from 'three';
import type { Posing } from '../../commands/poses/pose.js';
import { movesItself } from '../../commands/view/view.js';
import type { Editor } from '../../editor/editor.js';
import { legsOf, limbEndingAt } from '../../editor/limbs.js';
import { softReach, takesKeys, withOthers } from './turn-joints.js';

/**
 * A drag of a joint through the scene: what is to be seen when it is at a place, and whether its limb is too short. With
 * `topOnly` the limb turns about its top and does not bend.
 */
export type MoveJoint = (
  place: readonly number[],
  topOnly: boolean,
) => { readonly posing: Posing; readonly tooFar: boolean };

/**
 * Begins to move a joint through the scene, from the pose that is seen now. The end of a limb brings the limb after it,
 * the root moves itself. Feet below what moves stay where they are, if that is wanted and the lit layer takes keys of
 * their legs.
 */
export function beginMove(editor: Editor, joint: number): MoveJoint {
  const { stage, session, history } = editor;
  const { lit, endKeepsAngle, feetStay } = session.getState();
  const project = history.project();
  const { rig } = project;
  const before = restPose(rig);
  copyPose(before, stage.get().pose);
  const { parent } = rig.joints[joint];
  const intoParent = new THREE.Matrix4();
  if (parent >= 0) intoParent.fromArray(stage.get().matrices, 16 * parent).invert();
  const limb = movesItself(project, layerById(project, lit), joint)
    ? undefined
    : limbEndingAt(project, joint);
  const top = limb ? limb.chain[0] : joint;
  const soft = softReach(editor, top);
  const topPlace = new THREE.Vector3().fromArray(stage.get().matrices, 16 * top + 12);
  const endPlace = new THREE.Vector3().fromArray(stage.get().matrices, 16 * joint + 12);
  const length = endPlace.distanceTo(topPlace);
  const feet = feetStay
    ? legsOf(project).filter(
        (leg) => leg !== limb && isWithin(rig, leg.chain[0], top) && takesKeys(editor, leg.chain),
      )
    : [];
  return (place, topOnly) => {
    const pose = restPose(rig);
    copyPose(pose, before);
    const wanted = new Map<number, WantedTransform>();
    let tooFar = false;
    if (limb) {
      const goal = new THREE.Vector3(...place);
      // As far from its top as it was, the limb need not bend.
      if (topOnly) goal.sub(topPlace).setLength(length).add(topPlace);
      const leaning = leanTowards(rig, pose, limb, goal.toArray(), soft);
      for (const j of leaning) wanted.set(j, { rotation: rotationOf(pose, j) });
      tooFar = reach(rig, limb, pose, goal.toArray()) > 1e-6;
      if (!endKeepsAngle) pose.rotations.set(before.rotations.subarray(4 * joint, 4 * joint + 4), 4 * joint);
    } else {
      const local = new THREE.Vector3(...place).applyMatrix4(intoParent).toArray();
      pose.translations.set(local, 3 * joint);
      wanted.set(joint, { translation: local });
    }
    holdEnds(rig, feet, before, pose);
    for (const turned of [...(limb ? [limb] : []), ...feet])
      for (const j of turned.chain)
        if (j !== joint || endKeepsAngle) wanted.set(j, { rotation: rotationOf(pose, j) });
    return { posing: withOthers(editor, [joint, ...(limb?.chain ?? [])], before, wanted), tooFar };
  };
}

/** Begins to turn a limb round the line from its top to its end: what is to be seen when its knee or elbow points to a place. */
export function beginBend(editor: Editor, limb: CompiledLimb): (toward: readonly number[]) => Posing {
  const { rig } = editor.history.project();
  const before = restPose(rig);
  copyPose(before, editor.stage.get().pose);
  return (toward) => {
    const pose = restPose(rig);
    copyPose(pose, before);
    turnToward(rig, limb, pose, toward);
    const ends = [limb.chain[0], limb.chain[limb.chain.length - 1]];
    const wanted = new Map(ends.map((j) => [j, { rotation: rotationOf(pose, j) }]));
    return withOthers(editor, limb.chain, before, wanted);
  };
}

const rotationOf = (pose: Pose, j: number): number[] => [...pose.rotations.subarray(4 * j, 4 * j + 4)];
