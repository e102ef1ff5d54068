import { type Document, type Node, WebIO } from '@gltf-transform/core';
import type { Joint, Rig } from '../rig/rig.js';
import { FileError } from './error.js';

/**
 * Reads the skeleton of a binary glTF 2.0 file: the joints of its skin, in depth-first order, at the local
 * transforms of their nodes. Lengths are metres. Throws {@link FileError}.
 */
export async function readGlbRig(bytes: Uint8Array): Promise<Rig> {
  if (bytes.length < 12 || new DataView(bytes.buffer, bytes.byteOffset).getUint32(0, true) !== 0x46546c67) {
    throw new FileError('', 'this is not a binary glTF file, expected a .glb');
  }
  let document: Document;
  try {
    document = await new WebIO().readBinary(bytes);
  } catch (error) {
    throw new FileError('', `the glTF file cannot be read (${(error as Error).message})`);
  }
  const skins = document.getRoot().listSkins();
  if (skins.length !== 1) throw new FileError('skins', `${skins.length} skins, expected one`);
  const nodes = new Set(skins[0].listJoints());
  const parentOf = (node: Node) => node.getParentNode();
  const roots = [...nodes].filter((node) => !nodes.has(parentOf(node) as Node));
  if (roots.length !== 1) throw new FileError('skins[0]', `${roots.length} root joints, expected one`);
  if (!isIdentity(parentOf(roots[0])?.getWorldMatrix() ?? [])) {
    throw new FileError(
      'nodes',
      `the node above "${roots[0].getName()}" is moved, expected it at the origin`,
    );
  }
  const joints: Joint[] = [];
  const visit = (node: Node, parent: number) => {
    const name = node.getName();
    if (joints.some((joint) => joint.name === name)) {
      throw new FileError('nodes', `two joints are named "${name}", expected names that differ`);
    }
    joints.push({
      name,
      parent,
      translation: node.getTranslation(),
      rotation: node.getRotation(),
      scale: node.getScale(),
      order: 'XYZ',
      ends: [],
      channels: [],
    });
    const index = joints.length - 1;
    for (const child of node.listChildren()) if (nodes.has(child)) visit(child, index);
  };
  visit(roots[0], -1);
  if (joints.length !== nodes.size) {
    throw new FileError(
      'skins[0]',
      'a joint hangs below a node that is no joint, expected joints below joints',
    );
  }
  return { joints };
}

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

const isIdentity = (matrix: readonly number[]): boolean =>
  matrix.every((value, i) => Math.abs(value - IDENTITY[i]) < 1e-9);
