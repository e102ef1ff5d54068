import type { ThreeEvent } from '@react-three/fiber';
import * as THREE from 'three';
import { perform } from '../../commands/command.js';
import { snapOnto } from '../../commands/poses/snap.js';
import type { Editor } from '../../editor/editor.js';

/** Metres by which the joint of a hand or foot stays off a surface that it touches: half of what it is thick. */
const OFF = 0.02;

/** Where a click says that what is picked is put onto a surface, puts it there. True where it did. */
export function touched(editor: Editor, event: ThreeEvent<MouseEvent>): boolean {
  if (!editor.session.getState().touching || event.delta > 4) return false;
  event.stopPropagation();
  // The view shows the scene at a size of its own: the place is brought back into that of the scene.
  const back = sceneMatrix(event.object).invert();
  const { metresPerUnit } = editor.history.project();
  const normal = (event.normal ?? event.face?.normal ?? event.ray.direction.clone().negate()).clone();
  if (!event.normal) normal.transformDirection(event.object.matrixWorld);
  if (normal.dot(event.ray.direction) > 0) normal.negate();
  const at = event.point.clone().applyMatrix4(back);
  at.addScaledVector(normal.normalize(), OFF / metresPerUnit);
  perform(editor, snapOnto, { goal: { at: at.toArray() }, what: 'place' });
  return true;
}

/** From the scene to the view: the matrix of the group that shows it, the first below the view's own scene. */
function sceneMatrix(object: THREE.Object3D): THREE.Matrix4 {
  let group = object;
  while (group.parent && !(group.parent instanceof THREE.Scene)) group = group.parent;
  return group.matrixWorld.clone();
}
