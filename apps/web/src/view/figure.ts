import type { Rig } from '@evlay/core';
import * as THREE from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { newTintTexture, type TintTexture, withTint } from './tint.js';

/** A skinned mesh that follows the joints of a rig. */
export interface FigureMesh {
  readonly mesh: THREE.SkinnedMesh;
  /** For each bone of the mesh the joint that moves it, -1 where the rig has none of that name. */
  readonly jointOf: readonly number[];
  readonly tint: TintTexture;
}

/** Makes a mesh whose bones are written from outside, in the rig's own units. */
export function figureMesh(
  geometry: THREE.BufferGeometry,
  material: THREE.MeshStandardMaterial,
  inverses: THREE.Matrix4[],
  jointOf: readonly number[],
  tint: TintTexture = newTintTexture(jointOf.length),
): FigureMesh {
  const bones = jointOf.map(() => {
    const bone = new THREE.Bone();
    bone.matrixAutoUpdate = false;
    bone.matrixWorldAutoUpdate = false;
    return bone;
  });
  const mesh = new THREE.SkinnedMesh(geometry, withTint(material, tint));
  // Detached: the bones are in the rig's space, and the mesh's own place comes after the skin.
  mesh.bindMode = THREE.DetachedBindMode;
  mesh.bind(new THREE.Skeleton(bones, inverses), new THREE.Matrix4());
  mesh.frustumCulled = false;
  // A click may hit it wherever its bones have taken it.
  mesh.boundingSphere = new THREE.Sphere(new THREE.Vector3(), Number.POSITIVE_INFINITY);
  mesh.castShadow = true;
  mesh.receiveShadow = true;
  return { mesh, jointOf, tint };
}

/** Reads the skinned meshes of a binary glTF file for a rig that was read from it. */
export async function readFigure(rig: Rig, bytes: Uint8Array): Promise<FigureMesh[]> {
  const copy = bytes.slice().buffer;
  const { scene } = await new GLTFLoader().parseAsync(copy, '');
  const indices = new Map(rig.joints.map((joint, j) => [joint.name, j]));
  const found: FigureMesh[] = [];
  const tints = new Map<THREE.Skeleton, TintTexture>();
  scene.traverse((object) => {
    if (!(object instanceof THREE.SkinnedMesh)) return;
    const { skeleton } = object as THREE.SkinnedMesh;
    const jointOf = skeleton.bones.map((bone) => indices.get(String(bone.userData.name ?? bone.name)) ?? -1);
    const tint = tints.get(skeleton) ?? newTintTexture(jointOf.length);
    tints.set(skeleton, tint);
    found.push(
      figureMesh(
        object.geometry,
        object.material as THREE.MeshStandardMaterial,
        skeleton.boneInverses,
        jointOf,
        tint,
      ),
    );
  });
  return found;
}

/** Poses a mesh from the joints' global matrices, 16 numbers a joint. */
export function poseMesh({ mesh, jointOf }: FigureMesh, matrices: Float64Array): void {
  for (const [b, j] of jointOf.entries()) {
    if (j >= 0) mesh.skeleton.bones[b].matrixWorld.fromArray(matrices, 16 * j);
  }
  mesh.skeleton.update();
}

/** The joint that moves the surface most where a ray met it, or -1. */
export function jointAt({ mesh, jointOf }: FigureMesh, hit: THREE.Intersection): number {
  if (!hit.face) return -1;
  const { skinIndex, skinWeight } = mesh.geometry.attributes;
  const sums = new Map<number, number>();
  for (const vertex of [hit.face.a, hit.face.b, hit.face.c]) {
    for (let k = 0; k < 4; k++) {
      const j = jointOf[skinIndex.getComponent(vertex, k)];
      sums.set(j, (sums.get(j) ?? 0) + skinWeight.getComponent(vertex, k));
    }
  }
  return [...sums].reduce((best, entry) => (entry[1] > best[1] ? entry : best), [-1, 0])[0];
}
