import * as THREE from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { boundedTextures } from './textures.js';

const models = new WeakMap<Uint8Array, Promise<THREE.Object3D>>();

/** The scene of a prop's file, read once and copied for each prop that looks like it. */
export async function propModel(bytes: Uint8Array): Promise<THREE.Object3D> {
  let known = models.get(bytes);
  if (!known) {
    const loader = new GLTFLoader().register(boundedTextures(() => undefined));
    known = loader.parseAsync(bytes.slice().buffer, '').then(({ scene }) => scene);
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
