import type { Rig } from '@evlay/core';
import { Document, WebIO } from '@gltf-transform/core';
import { simplified, valuesOf } from './simplify.js';
import { bonesMiddles, skinByDistance } from './skin.js';
import type { Morph, Solid } from './solid.js';
import { surfaceOf } from './surface.js';
import type { V } from './vector.js';

/**
 * Writes a skinned figure as a binary glTF file: one mesh, a primitive a solid, a material a name; solids with morph targets
 * are a second one.
 */
export async function figureGlb(
  name: string,
  rig: Rig,
  places: readonly V[],
  solids: readonly Solid[],
): Promise<Uint8Array> {
  const document = new Document();
  const buffer = document.createBuffer();
  const nodes = rig.joints.map((joint) =>
    document.createNode(joint.name).setTranslation([...joint.translation]),
  );
  for (const [j, joint] of rig.joints.entries())
    if (joint.parent >= 0) nodes[joint.parent].addChild(nodes[j]);
  const binds = new Float32Array(16 * nodes.length);
  for (const [j, [x, y, z]] of places.entries())
    binds.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, -x, -y, -z, 1], 16 * j);
  const skin = document
    .createSkin(name)
    .setSkeleton(nodes[0])
    .setInverseBindMatrices(document.createAccessor().setType('MAT4').setArray(binds).setBuffer(buffer));
  for (const node of nodes) skin.addJoint(node);

  const body = document.createMesh(name);
  const morphed = solids.find(({ morphs }) => morphs)?.morphs ?? [];
  const face = document
    .createMesh(`${name} face`)
    .setWeights(morphed.map(() => 0))
    .setExtras({ targetNames: morphed.map((morph) => morph.name) });
  for (const solid of solids) {
    const surface = surfaceOf(solid.shape, solid.low, solid.high, solid.cell);
    const skinned = skinByDistance(rig, places, surface, solid);
    const { kept, triangles } = await simplified(surface, bonesMiddles(skinned, places));
    const accessor = (type: 'VEC3' | 'VEC4' | 'SCALAR', array: Float32Array | Uint8Array | Uint16Array) =>
      document.createAccessor().setType(type).setArray(array).setBuffer(buffer);
    const positions = valuesOf(kept, surface.positions, 3);
    const primitive = document
      .createPrimitive()
      .setMaterial(materialOf(document, solid))
      .setIndices(accessor('SCALAR', Uint16Array.from(triangles)))
      .setAttribute('POSITION', accessor('VEC3', Float32Array.from(positions)))
      .setAttribute('NORMAL', accessor('VEC3', Float32Array.from(valuesOf(kept, surface.normals, 3))))
      .setAttribute('JOINTS_0', accessor('VEC4', Uint8Array.from(valuesOf(kept, skinned.joints, 4))))
      .setAttribute('WEIGHTS_0', accessor('VEC4', Float32Array.from(valuesOf(kept, skinned.weights, 4))));
    for (const morph of solid.morphs ?? [])
      primitive.addTarget(
        document
          .createPrimitiveTarget(morph.name)
          .setAttribute('POSITION', accessor('VEC3', movedBy(morph, positions))),
      );
    (solid.morphs ? face : body).addPrimitive(primitive);
  }
  const scene = document.createScene(name).addChild(nodes[0]);
  for (const [mesh, what] of [
    [body, 'figure'],
    [face, 'face'],
  ] as const)
    if (mesh.listPrimitives().length > 0)
      scene.addChild(document.createNode(`${name} ${what}`).setMesh(mesh).setSkin(skin));
    else mesh.dispose();
  return new WebIO().writeBinary(document);
}

/** By how much a morph target moves each vertex. */
function movedBy({ by }: Morph, positions: readonly number[]): Float32Array {
  const out = new Float32Array(positions.length);
  for (let o = 0; o < out.length; o += 3) out.set(by([positions[o], positions[o + 1], positions[o + 2]]), o);
  return out;
}

/** Writes solids as a rigid thing in a binary glTF file: a primitive a solid, around `origin`. */
export async function thingGlb(name: string, origin: V, solids: readonly Solid[]): Promise<Uint8Array> {
  const document = new Document();
  const buffer = document.createBuffer();
  const mesh = document.createMesh(name);
  for (const solid of solids) {
    const surface = surfaceOf(solid.shape, solid.low, solid.high, solid.cell);
    const { kept, triangles } = await simplified(surface);
    const positions = valuesOf(kept, surface.positions, 3).map((value, i) => value - origin[i % 3]);
    const accessor = (type: 'VEC3' | 'SCALAR', array: Float32Array | Uint16Array) =>
      document.createAccessor().setType(type).setArray(array).setBuffer(buffer);
    mesh.addPrimitive(
      document
        .createPrimitive()
        .setMaterial(materialOf(document, solid))
        .setIndices(accessor('SCALAR', Uint16Array.from(triangles)))
        .setAttribute('POSITION', accessor('VEC3', Float32Array.from(positions)))
        .setAttribute('NORMAL', accessor('VEC3', Float32Array.from(valuesOf(kept, surface.normals, 3)))),
    );
  }
  document.createScene(name).addChild(document.createNode(name).setMesh(mesh));
  return new WebIO().writeBinary(document);
}

function materialOf(document: Document, solid: Solid) {
  const known = document
    .getRoot()
    .listMaterials()
    .find((material) => material.getName() === solid.name);
  if (known) return known;
  const color = linear(solid.color);
  const material = document
    .createMaterial(solid.name)
    .setBaseColorFactor([...color, 1])
    .setRoughnessFactor(solid.rough ?? 0.85)
    .setMetallicFactor(0);
  return solid.glow
    ? material.setEmissiveFactor(color.map((c) => Math.min(1, c * solid.glow!)) as [number, number, number])
    : material;
}

/** An sRGB colour such as `#D8A27E` in linear light (IEC 61966-2-1). */
function linear(color: string): [number, number, number] {
  return [1, 3, 5].map((k) => {
    const c = Number.parseInt(color.slice(k, k + 2), 16) / 255;
    return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4;
  }) as [number, number, number];
}
