import * as THREE from 'three';
import type { Shown } from '../../editor/stage.js';
import type { FigureMesh } from './figure.js';
import type { Seen } from './framing.js';

/** For each joint that moves some of a surface the box of what it moves most, in the axes of the joint. */
export type JointBoxes = ReadonlyMap<number, THREE.Box3>;

/** How far the surface of a character reaches around each of its joints. */
export function jointBoxes(meshes: readonly FigureMesh[]): JointBoxes {
  const boxes = new Map<number, THREE.Box3>();
  const place = new THREE.Vector3();
  for (const { mesh, bones } of meshes) {
    const { jointOf } = bones;
    const { position, skinIndex, skinWeight } = mesh.geometry.attributes;
    for (let v = 0; v < position.count; v++) {
      let most = 0;
      for (let k = 1; k < 4; k++)
        if (skinWeight.getComponent(v, k) > skinWeight.getComponent(v, most)) most = k;
      const bone = skinIndex.getComponent(v, most);
      const joint = jointOf[bone];
      if (joint === undefined || joint < 0) continue;
      const box = boxes.get(joint) ?? new THREE.Box3();
      boxes.set(joint, box);
      box.expandByPoint(
        place.fromBufferAttribute(position, v).applyMatrix4(mesh.skeleton.boneInverses[bone]),
      );
    }
  }
  return boxes;
}

/** What of a character is to be in the picture: the corners of the boxes of its joints as they are now. */
export function cornersToSee({ matrices }: Shown, boxes: JointBoxes, scale: number): Seen[] {
  const matrix = new THREE.Matrix4();
  return [...boxes].flatMap(([joint, { min, max }]) => {
    matrix.fromArray(matrices, 16 * joint);
    return [0, 1, 2, 3, 4, 5, 6, 7].map((corner): Seen => {
      const at = new THREE.Vector3(
        corner & 1 ? max.x : min.x,
        corner & 2 ? max.y : min.y,
        corner & 4 ? max.z : min.z,
      );
      return { at: at.applyMatrix4(matrix).multiplyScalar(scale), radius: 0 };
    });
  });
}

/** Finds from the global matrices of all joints, 16 numbers each, how low the surface reaches. */
export const lowestIn =
  (boxes: JointBoxes) =>
  (matrices: Float64Array): number => {
    let low = Number.POSITIVE_INFINITY;
    for (const [joint, { min, max }] of boxes) {
      const m = 16 * joint;
      const [x, y, z] = [1, 5, 9].map((c) => matrices[m + c]);
      low = Math.min(
        low,
        matrices[m + 13] +
          x * (x < 0 ? max.x : min.x) +
          y * (y < 0 ? max.y : min.y) +
          z * (z < 0 ? max.z : min.z),
      );
    }
    return low;
  };
