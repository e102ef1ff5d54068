import {
  composeMatrix,
  decomposeMatrix,
  IDENTITY,
  type Matrix,
  multiplyMatrices,
  type Transform,
} from '../../math/matrix.js';
import { normalize } from '../../math/quaternion.js';
import type { Joint, Rig } from '../../rig/rig.js';
import { cut, FileError } from '../error.js';
import { checkLimit, LIMITS } from '../limits.js';
import { bonesOf, characterExpressions, expressionsOf, signNodes } from '../vrm/humanoid.js';
import { type FaceMesh, type FaceNode, facesIn } from './faces.js';
import { splitGlb } from './glb.js';
import { type Mirrored, mirroredJoints, mirrorTransform } from './mirrored.js';
import { freeName } from './names.js';
import { type Gltf, type GltfNode, parseGltf } from './schema.js';

/**
 * The skeleton of a glTF file. Nodes above the root that are no joints are folded into the root, so that it stands
 * where it is seen in the scene: `root = above · node`.
 */
export interface GltfSkeleton {
  readonly gltf: Gltf;
  readonly bin: Uint8Array;
  readonly rig: Rig;
  /** For each joint the nodes that it moves; the first is the joint itself, more only for an object in several pieces. */
  readonly nodes: readonly (readonly number[])[];
  /** What stands above the root's nodes: each node's own transform in the scene, without itself. */
  readonly above: Matrix;
  /** The nodes above the root, from the top down. */
  readonly ancestors: readonly number[];
  /** How joints stand to nodes that mirror, or hang below such: by joint, undefined where they are the same. */
  readonly mirrored: readonly (Mirrored | undefined)[];
  /** The meshes with morph targets, and which face channel of the rig drives each. */
  readonly faceMeshes: readonly FaceMesh[];
  /** The nodes whose place along x is the value of a face channel, as in an animation of a humanoid. */
  readonly faceNodes: readonly FaceNode[];
  readonly warnings: readonly string[];
}

/**
 * Reads the skeleton of a binary glTF 2.0 file: the joints of its skins with what lies between them; without a skin
 * the nodes that its animations move; without those one joint for the whole object, or, where nothing is drawn at
 * all, every node. Lengths are metres. Throws {@link FileError}.
 */
export function readSkeleton(bytes: Uint8Array): GltfSkeleton {
  const { json, bin } = splitGlb(bytes);
  const gltf = parseGltf(json);
  const tree = treeOf(gltf);
  const { joints, warnings } = chooseJoints(gltf, tree);
  if (joints.length === 0) {
    const { rig, ...whole } = wholeScene(gltf, tree);
    return { ...whole, ...withFaces(gltf, rig), gltf, bin, warnings };
  }
  const root = joints[0];
  let ancestors = pathTo(tree, root).slice(0, -1);
  let above = ancestors.reduce((m, n) => multiplyMatrices(m, matrixOf(tree.nodes[n])), IDENTITY);
  // What squeezes or mirrors cannot be folded into the root: then the skeleton begins at the top.
  if (!isEven(above) || mirrors(tree.nodes[root])) {
    joints.unshift(...ancestors);
    ancestors = [];
    above = IDENTITY;
  }
  const { rig, mirrored } = rigOf(tree, joints, above, bonesOf(gltf));
  return {
    gltf,
    bin,
    ...withFaces(gltf, rig),
    mirrored,
    nodes: joints.map((n) => [n]),
    above,
    ancestors,
    warnings,
  };
}

/** A rig with the face channels of its file. */
function withFaces(gltf: Gltf, rig: Rig): Pick<GltfSkeleton, 'rig' | 'faceMeshes' | 'faceNodes'> {
  const { faces, ...found } = facesIn(
    gltf,
    new Set(rig.joints.map(({ name }) => name)),
    expressionsOf(gltf),
    characterExpressions(gltf),
  );
  // Written out, so that all rigs with faces have one hidden class (see `motionOn`).
  return { rig: faces.length > 0 ? { joints: rig.joints, faces } : rig, ...found };
}

export const readGlbRig = (bytes: Uint8Array): Rig => readSkeleton(bytes).rig;

interface Tree {
  readonly nodes: readonly GltfNode[];
  readonly parents: readonly number[];
  readonly tops: readonly number[];
  /** All nodes, parents before children. */
  readonly order: readonly number[];
}

/** The nodes from the top down to a node, itself included. */
function pathTo({ parents }: Tree, node: number): number[] {
  const path: number[] = [];
  for (let n = node; n >= 0; n = parents[n]) path.push(n);
  return path.reverse();
}

/** Checks that the nodes are a forest, as the specification asks, and finds the tops of the scene. */
function treeOf(gltf: Gltf): Tree {
  const nodes = gltf.nodes ?? [];
  if (nodes.length === 0) throw new FileError('nodes', 'there are none, expected a character');
  const parents = new Array<number>(nodes.length).fill(-1);
  for (const [n, node] of nodes.entries()) {
    for (const [i, child] of (node.children ?? []).entries()) {
      const place = `nodes[${n}].children[${i}]`;
      if (child >= nodes.length)
        throw new FileError(place, `there is no node ${child}, expected one of ${nodes.length}`);
      if (parents[child] >= 0 || child === n)
        throw new FileError(place, `node ${child} hangs below two nodes, expected one`);
      parents[child] = n;
    }
  }
  const order = [...nodes.keys()].filter((n) => parents[n] < 0);
  for (let k = 0; k < order.length; k++)
    for (const child of nodes[order[k]].children ?? []) order.push(child);
  if (order.length < nodes.length) {
    const reached = new Set(order);
    const node = [...nodes.keys()].find((n) => !reached.has(n));
    throw new FileError(`nodes[${node}]`, 'it hangs below itself, expected a tree');
  }
  const scene = gltf.scenes?.[gltf.scene ?? 0];
  for (const [i, top] of (scene?.nodes ?? []).entries())
    if (top >= nodes.length)
      throw new FileError(`scenes[${gltf.scene ?? 0}].nodes[${i}]`, `there is no node ${top}`);
  const tops = scene?.nodes ? [...new Set(scene.nodes)] : order.filter((n) => parents[n] < 0);
  return { nodes, parents, tops, order };
}

/** The nodes that are the joints, depth first, or none where the whole scene is one object. */
function chooseJoints(gltf: Gltf, tree: Tree): { joints: number[]; warnings: string[] } {
  const all = tree.nodes.length;
  const skinned = new Set<number>();
  for (const [s, { joints }] of (gltf.skins ?? []).entries())
    for (const [i, joint] of joints.entries()) {
      if (joint >= all)
        throw new FileError(`skins[${s}].joints[${i}]`, `there is no node ${joint}, expected one of ${all}`);
      skinned.add(joint);
    }
  if (skinned.size > 0) return joined(tree, skinned);
  const drawn = tree.order.filter((n) => tree.nodes[n].mesh !== undefined && !isForFace(gltf, tree.nodes[n]));
  if (drawn.length === 0) {
    const signs = signNodes(gltf);
    const tops = tree.tops.filter((n) => !isForFace(gltf, tree.nodes[n]) && !signs.has(n));
    if (tops.length !== 1) throw new FileError('scenes', `${tops.length} root nodes, expected one`);
    return { joints: depthFirst(tree, tops[0], (n) => !signs.has(n)), warnings: [] };
  }
  const moved = new Set<number>();
  for (const { channels } of gltf.animations ?? [])
    for (const { target } of channels)
      if (target.node !== undefined && target.node < all && target.path !== 'weights') moved.add(target.node);
  if (moved.size > 0) return joined(tree, moved);
  const common = commonTop(tree, new Set(drawn));
  return { joints: common === undefined ? [] : [common], warnings: [] };
}

/** Whether a node is there for the sake of its morph targets alone, as in a skeleton with a face: its mesh has no size. */
function isForFace({ meshes, accessors }: Gltf, { mesh, children = [] }: GltfNode): boolean {
  const { primitives = [] } = (mesh !== undefined && meshes?.[mesh]) || {};
  return (
    children.length === 0 &&
    primitives.length > 0 &&
    primitives.every(({ attributes: { POSITION }, targets = [] }) => {
      const { min = [1], max = [1] } = (POSITION !== undefined && accessors?.[POSITION]) || {};
      return targets.length > 0 && [...min, ...max].every((value) => value === 0);
    })
  );
}

/** For each node how many of some nodes it is or has below it. */
function countBelow({ order, parents }: Tree, wanted: ReadonlySet<number>): number[] {
  const counts = new Array<number>(order.length).fill(0);
  for (let k = order.length - 1; k >= 0; k--) {
    const n = order[k];
    if (wanted.has(n)) counts[n]++;
    if (parents[n] >= 0) counts[parents[n]] += counts[n];
  }
  return counts;
}

/** The deepest node that all of some nodes are or hang below. */
function commonTop(tree: Tree, wanted: ReadonlySet<number>): number | undefined {
  const counts = countBelow(tree, wanted);
  return tree.order.findLast((n) => counts[n] === wanted.size);
}

/** The smallest tree that holds some nodes; those of another tree than the most are left out. */
function joined(tree: Tree, wanted: ReadonlySet<number>): { joints: number[]; warnings: string[] } {
  const topOf = new Array<number>(tree.nodes.length);
  for (const n of tree.order) topOf[n] = tree.parents[n] < 0 ? n : topOf[tree.parents[n]];
  const byTop = new Map<number, Set<number>>();
  for (const node of wanted) {
    const group = byTop.get(topOf[node]);
    if (group) group.add(node);
    else byTop.set(topOf[node], new Set([node]));
  }
  const groups = [...byTop.values()].sort((a, b) => b.size - a.size);
  const root = commonTop(tree, groups[0])!;
  const counts = countBelow(tree, groups[0]);
  const lost = groups.slice(1).flatMap((group) => [...group]);
  const names = lost.slice(0, 3).map((node) => cut(tree.nodes[node].name ?? `node-${node}`));
  return {
    joints: depthFirst(tree, root, (node) => counts[node] > 0),
    warnings:
      lost.length > 0
        ? [`${lost.length} joints hang below another root and stay as they are: ${names.join(', ')}`]
        : [],
  };
}

function depthFirst(tree: Tree, root: number, wanted: (node: number) => boolean): number[] {
  const found: number[] = [];
  for (const waiting = [root]; waiting.length > 0; ) {
    const node = waiting.pop()!;
    found.push(node);
    for (const child of (tree.nodes[node].children ?? []).filter(wanted).reverse()) waiting.push(child);
  }
  return found;
}

/** An object whose pieces stand side by side in the scene: one joint at the origin that moves them all. */
function wholeScene(
  gltf: Gltf,
  { tops, nodes }: Tree,
): Pick<GltfSkeleton, 'rig' | 'nodes' | 'above' | 'ancestors' | 'mirrored'> {
  const name = gltf.scenes?.[gltf.scene ?? 0]?.name || nodes[tops[0]]?.name || 'object';
  const rest: Transform = { translation: [0, 0, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] };
  return {
    rig: { joints: [{ name, parent: -1, ...rest, order: 'XYZ', ends: [], channels: [] }] },
    nodes: [tops],
    above: IDENTITY,
    ancestors: [],
    mirrored: [undefined],
  };
}

const isEven = (above: Matrix): boolean => {
  const parts = decomposeMatrix(above);
  const [x, y, z] = parts?.scale ?? [0, 1, 2];
  return Math.max(Math.abs(x - y), Math.abs(x - z)) < 1e-4 * x;
};

/** Whether a node mirrors what hangs below it. */
const mirrors = (node: GltfNode): boolean => transformOf(node)?.scale.some((value) => value < 0) ?? false;

/** The local transform of a node as it is written. A matrix that mirrors has a negative scale along x. */
export function transformOf(node: GltfNode): Transform | undefined {
  if (node.matrix) return decomposeMatrix(node.matrix) ?? mirroredParts(node.matrix);
  const { translation = [0, 0, 0], rotation = [0, 0, 0, 1], scale = [1, 1, 1] } = node;
  return { translation, rotation, scale } as unknown as Transform;
}

function mirroredParts(matrix: Matrix): Transform | undefined {
  const parts = decomposeMatrix(multiplyMatrices(matrix, MIRROR));
  return parts && { ...parts, scale: [-parts.scale[0], parts.scale[1], parts.scale[2]] };
}

const MIRROR: Matrix = [-1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

export const matrixOf = (node: GltfNode): Matrix => node.matrix ?? composeMatrix(transformOf(node)!);

function rigOf(
  tree: Tree,
  nodes: readonly number[],
  above: Matrix,
  bones: ReadonlyMap<number, string>,
): Pick<GltfSkeleton, 'rig' | 'mirrored'> {
  checkLimit('nodes', nodes.length, LIMITS.joints, 'joints');
  const index = new Map(nodes.map((node, j) => [node, j]));
  const taken = new Map<string, number>();
  const parents = nodes.map((n) => index.get(tree.parents[n]) ?? -1);
  const transforms = nodes.map((n, j): Transform => {
    const node = tree.nodes[n];
    const atRoot = j === 0 && above !== IDENTITY;
    const rest = atRoot ? decomposeMatrix(multiplyMatrices(above, matrixOf(node))) : transformOf(node);
    if (!rest?.scale.every((s) => s !== 0))
      throw new FileError(`nodes[${n}]`, 'the joint is sheared or flat, expected a scale that is not 0');
    return rest;
  });
  const mirrored = mirroredJoints(transforms, parents);
  const joints = nodes.map((n, j): Joint => {
    const node = tree.nodes[n];
    const rest = mirrorTransform(mirrored[j], transforms[j]);
    if (!(Math.abs(Math.hypot(...rest.rotation) - 1) < 1e-3))
      throw new FileError(`nodes[${n}].rotation`, 'the quaternion has not length 1');
    if (![...rest.translation, ...rest.scale].every((value) => Math.abs(value) <= LIMITS.magnitude))
      throw new FileError(
        `nodes[${n}]`,
        'what stands above it makes its place too large, expected finite numbers',
      );
    const rotation = [...rest.rotation];
    normalize(rotation, 0);
    return {
      name: freeName(node.name || `node-${n}`, taken),
      parent: parents[j],
      ...rest,
      rotation: rotation as unknown as Joint['rotation'],
      order: 'XYZ',
      ends: [],
      channels: [],
      ...(bones.has(n) && { bone: bones.get(n) }),
    };
  });
  return { rig: { joints }, mirrored };
}
