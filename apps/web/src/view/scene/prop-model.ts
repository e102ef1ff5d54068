import * as THREE from 'three';
import { newGltfLoader } from './gltf-loader.js';

const models = new WeakMap<Uint8Array, Promise<THREE.Object3D>>();

/** The scene of a prop's file, read once and copied for each prop that looks like it. */
export async function propModel(bytes: Uint8Array): Promise<THREE.Object3D> {
  let known = models.get(bytes);
  if (!known) {
    known = newGltfLoader()
      .parseAsync(bytes.slice().buffer, '')
      .then(({ scene }) => scene);
    models.set(bytes, known);
  }
  const copy = (await known).clone(true);
  let meshes = 0;
  copy.traverse((object) => {
    if (!(object instanceof THREE.Mesh)) return;
    meshes++;
    object.material = (object.material as THREE.Material).clone();
    object.castShadow = true;
    object.receiveShadow = true;
  });
  if (meshes === 0) throw new Error('no mesh');
  return copy;
}
