import type { Gltf } from './schema.js';

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

/** Nodes of a file that stand for numbers, or for where eyes look: they are no joints. */
export function signNodes(gltf: Gltf): ReadonlySet<number> {
  const gaze = gltf.extensions?.VRMC_vrm_animation?.lookAt?.node;
  return new Set([...expressionsOf(gltf).values(), ...(gaze === undefined ? [] : [gaze])]);
}
