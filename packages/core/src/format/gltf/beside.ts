import { splitGlb } from './glb.js';
import type { GltfSkeleton } from './rig.js';
import { type Gltf, parseGltf } from './schema.js';

const nameOf = ({ nodes = [] }: Gltf, node: number): string => nodes[node]?.name || `node-${node}`;

/** The cameras of a file, as people call them. */
const camerasIn = (gltf: Gltf): string[] =>
  (gltf.nodes ?? []).flatMap(({ camera }, node) =>
    camera === undefined ? [] : [`the camera ${nameOf(gltf, node)}`],
  );

/**
 * What an animation of a file moves or shows beside the character: cameras, nodes that are none of its joints, and what
 * extensions animate.
 */
export function besideCharacter(
  { gltf, nodes, ancestors, faceMeshes, faceNodes }: GltfSkeleton,
  animation: number,
): string[] {
  const own = new Set([...nodes.flat(), ...ancestors, ...faceNodes.map(({ node }) => node)]);
  const faces = new Set(faceMeshes.flatMap((mesh) => mesh.nodes));
  const found = new Set(camerasIn(gltf));
  for (const { target } of gltf.animations?.[animation]?.channels ?? []) {
    const { node, path, extensions } = target as typeof target & { extensions?: object };
    if (node === undefined) {
      for (const name of Object.keys(extensions ?? {})) found.add(`what ${name} animates`);
      continue;
    }
    if ((path === 'weights' ? faces : own).has(node)) continue;
    if (gltf.nodes?.[node]?.camera === undefined) found.add(`the node ${nameOf(gltf, node)}`);
  }
  return [...found];
}

const looks = new WeakMap<Uint8Array, readonly string[]>();

/** What a character's file shows and has beside its skeleton, as people call it: none of it is in a file of bones alone. */
export function beyondBones(bytes: Uint8Array): readonly string[] {
  let found = looks.get(bytes);
  if (!found) {
    const gltf = parseGltf(splitGlb(bytes).json);
    found = [
      ...((gltf.meshes?.length ?? 0) > 0 ? ['the surface'] : []),
      ...camerasIn(gltf),
      ...((gltf.animations?.length ?? 0) > 0 ? ['its own animations'] : []),
      ...(gltf.extensionsUsed ?? []),
    ];
    looks.set(bytes, found);
  }
  return found;
}
