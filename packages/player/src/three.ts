import { restPose } from '@evlay/core';
import { readSkeleton, targetWeight } from '@evlay/core/format';
import { globalMatrices, topologyOf } from '@evlay/core/rig';
import { Matrix4, type Mesh, type Object3D } from 'three';
import type { Moment, Player } from './player.js';

/** Writes moments to what three shows of a character. */
export type Driver = (moment: Moment) => void;

/** What three's loader gives of a file, as far as it is used here. */
interface Loaded {
  readonly scene: Object3D;
  readonly parser: {
    readonly associations: ReadonlyMap<
      unknown,
      { readonly nodes?: number; readonly meshes?: number } | undefined
    >;
  };
}

/** Where the objects of a figure say which nodes and meshes of its file they are; copies of them say it too. */
const NODE = 'evlayNode';
const MESH = 'evlayMesh';

/**
 * The figure of a character as three has read it from the character's own GLB, ready to be driven; so are copies of it that
 * `SkeletonUtils.clone` makes. Names do not matter: a file may have joints without one, or two of the same.
 */
export function figureOf({ scene, parser }: Loaded): Object3D {
  scene.traverse((object) => {
    const { nodes, meshes } = parser.associations.get(object) ?? {};
    if (nodes !== undefined) object.userData[NODE] = nodes;
    if (meshes !== undefined) object.userData[MESH] = meshes;
  });
  return scene;
}

/** A node of the file that a joint moves. */
interface Driven {
  readonly object: Object3D;
  readonly joint: number;
  /** From the joint to the node, as both stand at rest: nodes may be mirrored, or pieces of one joint. */
  readonly offset: Matrix4;
  /** Where its parent is in the figure: that of a driven node, or what stands still. */
  readonly parent: Matrix4;
  /** Where it is in the figure itself. */
  readonly place: Matrix4;
}

/**
 * Lets a player drive the figure of one of its characters, 0 the first. Its joints come to where they are in the scene, in units
 * of the rig, whatever stands above the root in the file: further characters stand where their frames have them. Morph
 * targets follow the face channels. Throws where the character has no file, or `root` is no {@link figureOf} it.
 */
export function drive(player: Player, root: Object3D, character = 0): Driver {
  const { rig, scene } = player.project;
  const { figure, rig: own } = scene.characters[character];
  if (!figure) throw new Error('the character has no figure, only bones');
  const { nodes, faceMeshes } = readSkeleton(figure.bytes);
  const { from, faceFrom } = topologyOf(rig).spans[character];
  const jointOf = new Map(nodes.flatMap((moved, j) => moved.map((node) => [node, j] as const)));
  const rest = globalMatrices(own, restPose(own), new Float64Array(16 * own.joints.length));
  root.updateWorldMatrix(true, true);
  const into = root.matrixWorld.clone().invert();
  const placeOf = (object: Object3D) => into.clone().multiply(object.matrixWorld);
  const driven: Driven[] = [];
  const places = new Map<Object3D, Matrix4>();
  const morphed: { readonly mesh: Mesh; readonly face: (typeof faceMeshes)[number] }[] = [];
  // Parents come before children.
  root.traverse((object) => {
    const joint = jointOf.get((object.userData[NODE] as number | undefined) ?? -1);
    if (joint !== undefined && object.parent) {
      const place = placeOf(object);
      const offset = new Matrix4()
        .fromArray(rest, 16 * joint)
        .invert()
        .multiply(place);
      driven.push({
        object,
        joint,
        offset,
        parent: places.get(object.parent) ?? placeOf(object.parent),
        place,
      });
      places.set(object, place);
      object.matrixAutoUpdate = false;
    }
    const face = faceMeshes.find(({ mesh }) => mesh === object.userData[MESH]);
    if (face && (object as Mesh).morphTargetInfluences) morphed.push({ mesh: object as Mesh, face });
  });
  if (driven.length === 0) throw new Error('nothing of the figure is known, expected what figureOf gives');
  const back = new Matrix4();
  return ({ matrices, pose }) => {
    for (const { object, joint, offset, parent, place } of driven) {
      place.fromArray(matrices, 16 * (from + joint)).multiply(offset);
      object.matrix.copy(back.copy(parent).invert()).multiply(place);
      object.matrixWorldNeedsUpdate = true;
    }
    const faces = pose.faces.subarray(faceFrom);
    for (const { mesh, face } of morphed)
      for (let target = 0; target < face.channels.length; target++)
        mesh.morphTargetInfluences![target] = targetWeight(face, target, faces);
  };
}
