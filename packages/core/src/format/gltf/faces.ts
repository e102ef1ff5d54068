import type { FaceChannel } from '../../rig/rig.js';
import { checkLimit, checkName, LIMITS } from '../limits.js';
import type { Expression } from '../vrm/humanoid.js';
import { freeName } from './names.js';
import type { Gltf } from './schema.js';

/** A mesh with morph targets (glTF 2.0, 3.7.2.2), the nodes that show it, and the face channel that drives each target. */
export interface FaceMesh {
  /** Its index in the file. */
  readonly mesh: number;
  readonly nodes: readonly number[];
  /** Indices into the face channels of the rig, one a target. */
  readonly channels: readonly number[];
  /** What moves each target besides: expressions, each by a share. */
  readonly also: readonly (readonly FaceShare[])[];
}

/** A face channel, and what of it counts. */
export interface FaceShare {
  readonly face: number;
  readonly share: number;
}

/** The weight of a morph target for the numbers of all face channels: its own channel, and its shares of expressions. */
export function targetWeight(
  { channels, also }: Pick<FaceMesh, 'channels' | 'also'>,
  target: number,
  faces: ArrayLike<number>,
): number {
  let weight = faces[channels[target]];
  for (const { face, share } of also[target]) weight += share * faces[face];
  return weight;
}

/** A node that stands for a face channel: how far it is moved along x is what the channel is. */
export interface FaceNode {
  readonly node: number;
  /** Index into the face channels of the rig. */
  readonly face: number;
}

/**
 * The face channels of a file: its morph targets by their names. A target is called as `extras.targetNames` says, or by the
 * name of its mesh and its number; targets of one name are one channel, at rest as the first of them. `joints` are names
 * that are taken; `expressions` are nodes that stand for channels, by name; those of a `character` move several targets.
 */
export function facesIn(
  { meshes = [], nodes = [] }: Gltf,
  joints: ReadonlySet<string>,
  expressions: ReadonlyMap<string, number>,
  character: readonly Expression[] = [],
): {
  readonly faces: readonly FaceChannel[];
  readonly faceMeshes: readonly FaceMesh[];
  readonly faceNodes: readonly FaceNode[];
} {
  const faces: FaceChannel[] = [];
  const found = new Map<string, number>();
  const taken = new Map([...joints].map((name) => [name, 1]));
  const plain = meshes.flatMap((mesh, m): Omit<FaceMesh, 'also'>[] => {
    const count = mesh.primitives?.[0]?.targets?.length ?? 0;
    const shown = nodes.flatMap((node, n) => (node.mesh === m ? [n] : []));
    if (count === 0 || shown.length === 0) return [];
    const weights = nodes[shown[0]].weights ?? mesh.weights ?? [];
    const names = mesh.extras?.targetNames;
    checkLimit(`meshes[${m}]`, count, LIMITS.faces, 'morph targets');
    const channels = Array.from({ length: count }, (_, t): number => {
      const own = names?.[t] || `${mesh.name || `mesh-${m}`}.${t}`;
      let face = found.get(own);
      if (face === undefined) {
        checkName(`meshes[${m}].extras.targetNames[${t}]`, own);
        const name = freeName(joints.has(own) ? `${own} (face)` : own, taken);
        face = faces.push({ name, rest: weights[t] ?? 0 }) - 1;
        found.set(own, face);
      }
      return face;
    });
    return [{ mesh: m, nodes: shown, channels }];
  });
  const moving = character
    .filter(({ binds }) => binds.length > 0)
    .map(({ name: own, binds }) => {
      checkName('extensions.VRMC_vrm.expressions', own);
      const name = freeName(joints.has(own) ? `${own} (face)` : own, taken);
      return { face: faces.push({ name, rest: 0 }) - 1, binds };
    });
  const faceMeshes = plain.map((mesh): FaceMesh => {
    const also = mesh.channels.map((_, target) =>
      moving.flatMap(({ face, binds }) =>
        binds
          .filter(({ node, index }) => index === target && mesh.nodes.includes(node))
          .map(({ weight }): FaceShare => ({ face, share: weight })),
      ),
    );
    return { ...mesh, also };
  });
  const faceNodes = [...expressions].map(([own, node]): FaceNode => {
    checkName('extensions.VRMC_vrm_animation.expressions', own);
    const name = freeName(joints.has(own) ? `${own} (face)` : own, taken);
    return { node, face: faces.push({ name, rest: 0 }) - 1 };
  });
  checkLimit('meshes', faces.length, LIMITS.faces, 'morph targets');
  return { faces, faceMeshes, faceNodes };
}

/** The animated weights of a mesh as one curve a target: `values` have all targets of a key, of cubic splines three times. */
export function ofTarget(values: Float64Array, targets: number, target: number): Float64Array {
  return Float64Array.from({ length: values.length / targets }, (_, k) => values[k * targets + target]);
}
