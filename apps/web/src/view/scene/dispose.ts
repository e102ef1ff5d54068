import * as THREE from 'three';
import type { FigureMesh } from './figure.js';

function disposeMaterial(material: THREE.Material): void {
  for (const value of Object.values(material)) if (value instanceof THREE.Texture) value.dispose();
  material.dispose();
}

/**
 * Gives back what the graphics card holds of an object and all below it. Whoever shows it again, or shares its shapes, has
 * them sent there anew.
 */
export function disposeObject(object: THREE.Object3D): void {
  object.traverse((one) => {
    if (!(one instanceof THREE.Mesh)) return;
    const { geometry, material } = one as THREE.Mesh;
    geometry.dispose();
    for (const own of [material].flat()) disposeMaterial(own);
    if (one instanceof THREE.SkinnedMesh) one.skeleton.dispose();
  });
}

/** The same of a figure, with the colours of its joints. */
export function disposeFigure({ mesh, bones }: FigureMesh): void {
  disposeObject(mesh);
  bones.tint.texture.dispose();
}
