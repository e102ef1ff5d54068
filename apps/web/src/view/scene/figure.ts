import { type FaceMesh, type ImageSize, readSkeleton, targetWeight } from '@evlay/core/format';
import * as THREE from 'three';
import { newGltfLoader } from './gltf-loader.js';
import { newTintTexture, type TintTexture, withTint } from './tint.js';

type MorphTargets = Pick<FaceMesh, 'channels' | 'also'>;
const NO_TARGETS: MorphTargets = { channels: [], also: [] };

/** Bones that are written from outside, in the rig's own units, and the tints of what they move. Meshes of one skin share them. */
export interface FigureBones {
  readonly skeleton: THREE.Skeleton;
  /** For each bone the joint that moves it, -1 where the rig has none of that name. */
  readonly jointOf: readonly number[];
  readonly tint: TintTexture;
}

/** A skinned mesh that follows the joints of a rig. */
export interface FigureMesh {
  readonly mesh: THREE.SkinnedMesh;
  readonly bones: FigureBones;
  /** The face channels that drive its morph targets. */
  readonly face: MorphTargets;
}

export function figureBones(inverses: THREE.Matrix4[], jointOf: readonly number[]): FigureBones {
  const bones = jointOf.map(() => {
    const bone = new THREE.Bone();
    bone.matrixAutoUpdate = false;
    bone.matrixWorldAutoUpdate = false;
    return bone;
  });
  return { skeleton: new THREE.Skeleton(bones, inverses), jointOf, tint: newTintTexture(jointOf.length) };
}

/** Makes a mesh that bones move. */
export function figureMesh(
  geometry: THREE.BufferGeometry,
  material: THREE.MeshStandardMaterial,
  bones: FigureBones,
  face: MorphTargets = NO_TARGETS,
): FigureMesh {
  const mesh = new THREE.SkinnedMesh(geometry, withTint(material, bones.tint));
  // Detached: the bones are in the rig's space, and the mesh's own place comes after the skin.
  mesh.bindMode = THREE.DetachedBindMode;
  mesh.bind(bones.skeleton, new THREE.Matrix4());
  mesh.frustumCulled = false;
  // A click may hit it wherever its bones have taken it.
  mesh.boundingSphere = new THREE.Sphere(new THREE.Vector3(), Number.POSITIVE_INFINITY);
  mesh.castShadow = true;
  mesh.receiveShadow = true;
  return { mesh, bones, face };
}

/**
 * Reads the meshes of a binary glTF file from which the character's rig was read: skinned ones with their bones, others
 * as rigid pieces of the joint that they hang on, or still where they hang on none. Of a texture that is shown smaller than
 * it is `reduced` hears.
 */
export async function readFigure(
  bytes: Uint8Array,
  reduced: (from: ImageSize) => void = () => undefined,
): Promise<FigureMesh[]> {
  const { nodes, faceMeshes, mirrored } = readSkeleton(bytes);
  /** From the axes of a node to those of its joint. */
  const axesOf = (joint: number) => {
    const [x, y, z] = mirrored[joint]?.axes ?? [1, 1, 1];
    return new THREE.Matrix4().makeScale(x, y, z);
  };
  const jointOfNode = new Map(nodes.flatMap((moved, j) => moved.map((node) => [node, j] as const)));
  const { scene, parser } = await newGltfLoader(reduced).parseAsync(bytes.slice().buffer, '');
  scene.updateMatrixWorld(true);
  const jointOf = (object: THREE.Object3D): number =>
    jointOfNode.get(parser.associations.get(object)?.nodes ?? -1) ?? -1;
  const facesOfMesh = new Map(faceMeshes.map((own) => [own.mesh, own]));
  const found: FigureMesh[] = [];
  const known = new Map<THREE.Skeleton, FigureBones>();
  scene.traverse((object) => {
    if (!(object instanceof THREE.Mesh)) return;
    const { geometry, material } = object as THREE.Mesh<THREE.BufferGeometry, THREE.MeshStandardMaterial>;
    const faces = facesOfMesh.get(parser.associations.get(object)?.meshes ?? -1);
    if (object instanceof THREE.SkinnedMesh) {
      const { skeleton } = object as THREE.SkinnedMesh;
      const joints = skeleton.bones.map(jointOf);
      const inverses = () =>
        skeleton.boneInverses.map((inverse, b) => inverse.clone().premultiply(axesOf(joints[b])));
      const bones = known.get(skeleton) ?? figureBones(inverses(), joints);
      known.set(skeleton, bones);
      found.push(figureMesh(geometry, material, bones, faces));
    } else found.push(rigidMesh(object, geometry, material, jointOf, axesOf, nodes[0].length, faces));
  });
  return found;
}

const figures = new WeakMap<Uint8Array, Promise<FigureMesh[]>>();

/** The meshes of a character's file, read once; whoever asks first is told of a texture that is shown smaller than it is. */
export function figureOf(bytes: Uint8Array, reduced?: (from: ImageSize) => void): Promise<FigureMesh[]> {
  let meshes = figures.get(bytes);
  if (!meshes) {
    meshes = readFigure(bytes, reduced);
    figures.set(bytes, meshes);
  }
  return meshes;
}

/** Another figure of the same meshes, which can stand in another pose, with materials of its own. */
export function anotherFigure(
  meshes: readonly FigureMesh[],
  materialOf: (like: THREE.MeshStandardMaterial) => THREE.MeshStandardMaterial,
): FigureMesh[] {
  const known = new Map<FigureBones, FigureBones>();
  return meshes.map(({ mesh, bones: like, face }) => {
    const bones = known.get(like) ?? figureBones(like.skeleton.boneInverses, like.jointOf);
    known.set(like, bones);
    return figureMesh(mesh.geometry, materialOf(mesh.material as THREE.MeshStandardMaterial), bones, face);
  });
}

/** A mesh without a skin, bound with all of its vertices to the joint that it hangs on. */
function rigidMesh(
  object: THREE.Object3D,
  geometry: THREE.BufferGeometry,
  material: THREE.MeshStandardMaterial,
  jointOf: (object: THREE.Object3D) => number,
  axesOf: (joint: number) => THREE.Matrix4,
  pieces: number,
  faces: MorphTargets | undefined,
): FigureMesh {
  let holder: THREE.Object3D | null = object;
  while (holder && jointOf(holder) < 0) holder = holder.parent;
  const joint = holder ? jointOf(holder) : -1;
  // Of an object in several pieces the joint stands at the origin, and moves each piece from where it is.
  const several = pieces > 1;
  const inverse = object.matrixWorld.clone();
  if (holder && !several) inverse.premultiply(holder.matrixWorld.clone().invert()).premultiply(axesOf(joint));
  const bound = geometry.clone();
  // three turns the triangles of what is mirrored by the matrix of the object, which is plain here.
  if (object.matrixWorld.determinant() < 0) turnTriangles(bound);
  const count = geometry.attributes.position.count;
  bound.setAttribute('skinIndex', new THREE.Uint8BufferAttribute(new Uint8Array(4 * count), 4));
  const weights = new Float32Array(4 * count).map((_, i) => (i % 4 === 0 ? 1 : 0));
  bound.setAttribute('skinWeight', new THREE.Float32BufferAttribute(weights, 4));
  return figureMesh(bound, material, figureBones([inverse], [joint]), faces);
}

/** Turns the triangles of a geometry round, so that their other side is the outside. */
function turnTriangles(geometry: THREE.BufferGeometry): void {
  const { index } = geometry;
  const corners = index ? [...index.array] : [...Array(geometry.attributes.position.count).keys()];
  for (let t = 0; t + 2 < corners.length; t += 3)
    [corners[t + 1], corners[t + 2]] = [corners[t + 2], corners[t + 1]];
  geometry.setIndex(corners);
}

/** The bones of a figure, those of several meshes once. */
export const bonesOf = (meshes: readonly FigureMesh[]): FigureBones[] => [
  ...new Set(meshes.map(({ bones }) => bones)),
];

/** Poses a figure from the joints' global matrices, 16 numbers a joint, and from face channels; `bones` are those of its meshes. */
export function poseFigure(
  meshes: readonly FigureMesh[],
  bones: readonly FigureBones[],
  matrices: Float64Array,
  faces: Float64Array,
): void {
  for (const { mesh, face } of meshes)
    for (let target = 0; target < face.channels.length; target++)
      mesh.morphTargetInfluences![target] = targetWeight(face, target, faces);
  // What they do to the skin three works out for each picture.
  for (const { skeleton, jointOf } of bones)
    for (let b = 0; b < jointOf.length; b++)
      if (jointOf[b] >= 0) skeleton.bones[b].matrixWorld.fromArray(matrices, 16 * jointOf[b]);
}

/** The joint that moves the surface most where a ray met it, or -1. */
export function jointAt({ mesh, bones: { jointOf } }: FigureMesh, hit: THREE.Intersection): number {
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
