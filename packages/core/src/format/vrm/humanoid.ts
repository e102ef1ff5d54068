import type { Gltf } from '../gltf/schema.js';

/** What nodes are to a humanoid body, where the file says so (VRMC_vrm-1.0, VRMC_vrm_animation-1.0). */
export function bonesOf({ extensions }: Gltf): ReadonlyMap<number, string> {
  const said = extensions?.VRMC_vrm ?? extensions?.VRMC_vrm_animation;
  return new Map(Object.entries(said?.humanoid?.humanBones ?? {}).map(([bone, { node }]) => [node, bone]));
}

/**
 * The expressions of an animation by name, and the node of each: how far it is moved along x is what the expression counts
 * (VRMC_vrm_animation-1.0, Expressions).
 */
export function expressionsOf({ extensions }: Gltf): ReadonlyMap<string, number> {
  const { preset = {}, custom = {} } = extensions?.VRMC_vrm_animation?.expressions ?? {};
  return new Map(Object.entries({ ...custom, ...preset }).map(([name, { node }]) => [name, node]));
}

/** A number that moves several morph targets: of the mesh of each node the target with an index, times a weight. */
export interface Expression {
  readonly name: string;
  readonly binds: readonly { readonly node: number; readonly index: number; readonly weight: number }[];
  /** Whether it also changes colours or textures. */
  readonly paints: boolean;
}

/** The expressions of a character that move morph targets or paint (VRMC_vrm-1.0, Expressions). */
export function characterExpressions({ extensions }: Gltf): readonly Expression[] {
  const { preset = {}, custom = {} } = extensions?.VRMC_vrm?.expressions ?? {};
  return Object.entries({ ...custom, ...preset }).flatMap(([name, said]): Expression[] => {
    const { morphTargetBinds: binds = [], materialColorBinds = [], textureTransformBinds = [] } = said;
    const paints = materialColorBinds.length + textureTransformBinds.length > 0;
    return binds.length > 0 || paints ? [{ name, binds, paints }] : [];
  });
}

/** The chains of a character that swing, by the names of the joints (VRMC_springBone-1.0). */
export function springsOf(
  { extensions }: Gltf,
  nameOf: (node: number) => string | undefined,
): { readonly name: string; readonly joints: readonly string[] }[] {
  return (extensions?.VRMC_springBone?.springs ?? []).flatMap(({ name, joints }, k) => {
    const names = joints.flatMap(({ node }) => nameOf(node) ?? []);
    return names.length > 1 ? [{ name: name || `spring ${k + 1}`, joints: names }] : [];
  });
}

/** Nodes of a file that stand for numbers, or for where eyes look: they are no joints. */
export function signNodes(gltf: Gltf): ReadonlySet<number> {
  const gaze = gltf.extensions?.VRMC_vrm_animation?.lookAt?.node;
  return new Set([...expressionsOf(gltf).values(), ...(gaze === undefined ? [] : [gaze])]);
}
