import { type Document, type Node, WebIO } from '@gltf-transform/core';
import type { Joint, Rig } from '../rig/rig.js';
import { FileError, reasonOf } from './error.js';

/** A binary glTF 2.0 file that was read: its skeleton, and the node of each joint. */
export interface GlbSkeleton {
  readonly document: Document;
  readonly rig: Rig;
  readonly nodes: readonly Node[];
}

/**
 * Reads the skeleton of a binary glTF 2.0 file: the joints of its skin, or without a skin the nodes of its scene, in
 * depth-first order, at their local transforms. Lengths are metres. Throws {@link FileError}.
 */
export async function readSkeleton(bytes: Uint8Array): Promise<GlbSkeleton> {
  const document = await readDocument(bytes);
  const skins = document.getRoot().listSkins();
  if (skins.length > 1) throw new FileError('skins', `${skins.length} skins, expected one`);
  const nodes = skins.length === 1 ? jointsOfSkin(skins[0].listJoints()) : nodesOfScene(document);
  return { document, nodes, rig: rigOf(nodes) };
}

export const readGlbRig = async (bytes: Uint8Array): Promise<Rig> => (await readSkeleton(bytes)).rig;

async function readDocument(bytes: Uint8Array): Promise<Document> {
  if (bytes.length < 12 || new DataView(bytes.buffer, bytes.byteOffset).getUint32(0, true) !== 0x46546c67) {
    throw new FileError('', 'this is not a binary glTF file, expected a .glb');
  }
  try {
    return await new WebIO().readBinary(bytes);
  } catch (error) {
    throw new FileError('', `the glTF file cannot be read (${reasonOf(error)})`);
  }
}

const parentOf = (node: Node): Node | null => node.getParentNode();

/** Nodes in depth-first order, as far as they belong to `wanted`. */
function depthFirst(root: Node, wanted: (node: Node) => boolean): Node[] {
  return [root, ...root.listChildren().flatMap((child) => (wanted(child) ? depthFirst(child, wanted) : []))];
}

function jointsOfSkin(joints: readonly Node[]): Node[] {
  const all = new Set(joints);
  const roots = joints.filter((node) => !all.has(parentOf(node) as Node));
  if (roots.length !== 1) throw new FileError('skins[0]', `${roots.length} root joints, expected one`);
  if (!isIdentity(parentOf(roots[0])?.getWorldMatrix() ?? [])) {
    throw new FileError(
      'nodes',
      `the node above "${roots[0].getName()}" is moved, expected it at the origin`,
    );
  }
  const found = depthFirst(roots[0], (node) => all.has(node));
  if (found.length !== all.size) {
    throw new FileError(
      'skins[0]',
      'a joint hangs below a node that is no joint, expected joints below joints',
    );
  }
  return found;
}

function nodesOfScene(document: Document): Node[] {
  const root = document.getRoot();
  const scene = root.getDefaultScene() ?? root.listScenes()[0];
  const tops = scene?.listChildren() ?? [];
  if (tops.length !== 1) throw new FileError('scenes[0]', `${tops.length} root nodes, expected one`);
  return depthFirst(tops[0], () => true);
}

function rigOf(nodes: readonly Node[]): Rig {
  const index = new Map(nodes.map((node, j) => [node, j]));
  const names = new Set<string>();
  const joints = nodes.map((node): Joint => {
    const name = node.getName();
    if (names.has(name)) {
      throw new FileError('nodes', `two joints are named "${name}", expected names that differ`);
    }
    names.add(name);
    const parent = parentOf(node);
    return {
      name,
      parent: parent ? (index.get(parent) ?? -1) : -1,
      translation: node.getTranslation(),
      rotation: node.getRotation(),
      scale: node.getScale(),
      order: 'XYZ',
      ends: [],
      channels: [],
    };
  });
  return { joints };
}

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

const isIdentity = (matrix: readonly number[]): boolean =>
  matrix.every((value, i) => Math.abs(value - IDENTITY[i]) < 1e-9);
