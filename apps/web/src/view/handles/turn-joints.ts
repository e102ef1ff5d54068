import { layerById, restPose } from '@evlay/core';
import {
  copyPose,
  globalMatrices,
  globalOrientations,
  isWithin,
  mirrorChanges,
  reach,
} from '@evlay/core/rig';
import {
  chainOf,
  holdEnds,
  turnEach,
  turnShared,
  turnWithNeighbours,
  type WantedTransform,
} from '@evlay/core/solve';
import * as THREE from 'three';
import { type Posing, reachableOf } from '../../commands/poses/pose.js';
import type { Editor } from '../../editor/editor.js';
import { legsOf, limbEndingAt } from '../../editor/limbs.js';

/** What is to be seen when the handles have turned from how they were to `now`, in the axes of the scene. */
export type TurnJoints = (now: THREE.Quaternion) => Posing;

/**
 * Begins to turn the picked joints, from the pose that is seen now: together as the session says, with feet that stay,
 * neighbours that take part in a touch-up and the other side, if they are wanted and the lit layer takes their keys.
 * `joint` is the one that has the handles, `from` how they are turned.
 */
export function beginTurn(editor: Editor, joint: number, from: THREE.Quaternion): TurnJoints {
  const { stage, session, history } = editor;
  const project = history.project();
  const { rig } = project;
  const { picked, together, shares, turnAxes, feetStay } = session.getState();
  const before = restPose(rig);
  copyPose(before, stage.get().pose);
  const joints = picked.includes(joint) ? picked : [joint];
  const chain = chainOf(rig, joints);
  const soft = softReach(editor, joint);
  const back = from.clone().invert();
  // Legs on which what turns stands, as far as they do not turn themselves.
  const feet = feetStay
    ? legsOf(project).filter(
        ({ chain: leg }) =>
          joints.some((j) => isWithin(rig, leg[0], j) && !leg.includes(j)) && takesKeys(editor, leg),
      )
    : [];

  const turnedBy = (now: THREE.Quaternion): Map<number, WantedTransform> => {
    const turn = now.clone().multiply(back).normalize();
    if (joints.length > 1 && together === 'share')
      return turnShared(
        rig,
        before,
        chain,
        turn.toArray(),
        chain.map((j) => shares[j] ?? 1),
      );
    if (joints.length > 1 && together === 'pivot') return aboutPivot(editor, joint, joints, before, turn);
    if (joints.length === 1 && soft > 0) return turnWithNeighbours(rig, before, joint, turn.toArray(), soft);
    const own = back.clone().multiply(now).normalize().toArray();
    if (turnAxes === 'joint' || turnAxes === 'parent') return turnEach(rig, before, joints, own, turnAxes);
    return turnEach(rig, before, joints, turn.toArray(), 'scene');
  };

  return (now) => {
    const wanted = turnedBy(now);
    if (feet.length > 0) {
      const pose = restPose(rig);
      copyPose(pose, before);
      for (const [j, { rotation, translation }] of wanted) {
        if (rotation) pose.rotations.set(rotation, 4 * j);
        if (translation) pose.translations.set(translation, 3 * j);
      }
      holdEnds(rig, feet, before, pose);
      for (const leg of feet)
        for (const j of leg.chain)
          wanted.set(j, { rotation: [...pose.rotations.subarray(4 * j, 4 * j + 4)] });
    }
    return withOthers(editor, joints, before, wanted);
  };
}

/**
 * How many joints above one take part when it is posed: those of a touch-up, on a layer that adds, as far up as the layer
 * takes their keys. The root takes no part.
 */
export function softReach(editor: Editor, joint: number): number {
  const { touchUp, lit } = editor.session.getState();
  const project = editor.history.project();
  const { joints } = project.rig;
  if (!touchUp || layerById(project, lit)?.mode !== 'additive') return 0;
  let count = 0;
  let { parent } = joints[joint];
  while (
    count < touchUp.neighbours &&
    parent >= 0 &&
    joints[parent].parent >= 0 &&
    takesKeys(editor, [parent])
  ) {
    count++;
    parent = joints[parent].parent;
  }
  return count;
}

/** Whether the lit layer takes keys of all joints of a chain here. */
export const takesKeys = (editor: Editor, chain: readonly number[]): boolean =>
  reachableOf(editor, new Map(chain.map((j) => [j, {}]))).size === chain.length;

/**
 * What is wanted with what the other side does, if that is wanted. Of joints that come in addition to the `picked` ones
 * those are left out that the lit layer does not take keys of.
 */
export function withOthers(
  editor: Editor,
  picked: readonly number[],
  before: Parameters<typeof mirrorChanges>[1],
  wanted: ReadonlyMap<number, WantedTransform>,
): Posing {
  const { rig } = editor.history.project();
  const { symmetric } = editor.session.getState();
  const all = new Map([...wanted, ...(symmetric ? mirrorChanges(rig, before, wanted) : [])]);
  const more = new Map([...all].filter(([j]) => !picked.includes(j)));
  const taken = reachableOf(editor, more);
  for (const j of more.keys()) if (!taken.has(j)) all.delete(j);
  return all;
}

/** Turns joints as one about the place of the joint that has the handles: roots and ends of limbs go round it. */
function aboutPivot(
  editor: Editor,
  joint: number,
  joints: readonly number[],
  before: ReturnType<typeof restPose>,
  turn: THREE.Quaternion,
): Map<number, WantedTransform> {
  const project = editor.history.project();
  const { rig } = project;
  const n = rig.joints.length;
  const places = globalMatrices(rig, before, new Float64Array(16 * n));
  const orientations = globalOrientations(rig, before, new Float64Array(4 * n));
  const placeOf = (j: number) => new THREE.Vector3().fromArray(places, 16 * j + 12);
  const pivot = placeOf(joint);
  const pose = restPose(rig);
  copyPose(pose, before);
  const changed = new Set<number>();
  const tops = joints.filter((j) => !joints.some((other) => other !== j && isWithin(rig, j, other)));
  for (const j of [...tops].sort((a, b) => a - b)) {
    const place = placeOf(j).sub(pivot).applyQuaternion(turn).add(pivot);
    const limb = limbEndingAt(project, j);
    if (rig.joints[j].parent < 0) pose.translations.set(place.toArray(), 3 * j);
    else if (limb) reach(rig, limb, pose, place.toArray());
    for (const one of [j, ...(limb?.chain ?? [])]) changed.add(one);
    const now = globalOrientations(rig, pose, new Float64Array(4 * n));
    const { parent } = rig.joints[j];
    const above = new THREE.Quaternion();
    if (parent >= 0) above.fromArray(now, 4 * parent);
    const own = turn.clone().multiply(new THREE.Quaternion().fromArray(orientations, 4 * j));
    pose.rotations.set(above.invert().multiply(own).normalize().toArray(), 4 * j);
  }
  return new Map(
    [...changed].map((j) => [
      j,
      {
        rotation: [...pose.rotations.subarray(4 * j, 4 * j + 4)],
        ...(rig.joints[j].parent < 0 && { translation: [...pose.translations.subarray(3 * j, 3 * j + 3)] }),
      },
    ]),
  );
}
