import { facesOf } from '@evlay/core/rig';
import type { Mesh, Object3D } from 'three';
import type { Moment, Player } from './player.js';

/** Writes moments to what three shows of a character. */
export type Driver = (moment: Moment) => void;

/**
 * Lets a player drive the nodes of a character, as `three` has read them from its own GLB: the joints below `root` that are
 * called as those of the rig (three's loader keeps a name that it had to change in `userData.name`), and the morph targets
 * of its meshes. `character` is that of the scene, 0 the first. Nodes that the rig has not stay as they are.
 */
export function drive(player: Player, root: Object3D, character = 0): Driver {
  const { rig, scene } = player.project;
  const prefix = character === 0 ? '' : `${scene.characters[character].name}/`;
  const own = new Map<string, Object3D>();
  const meshes: Mesh[] = [];
  root.traverse((node) => {
    const name = (node.userData.name as string | undefined) ?? node.name;
    if (!own.has(name)) own.set(name, node);
    if ((node as Mesh).morphTargetDictionary) meshes.push(node as Mesh);
  });
  const joints = rig.joints.flatMap(({ name }, j) => {
    const node = name.startsWith(prefix) ? own.get(name.slice(prefix.length)) : undefined;
    return node ? [[j, node] as const] : [];
  });
  const faces = facesOf(rig).flatMap(({ name }, f) =>
    meshes.flatMap((mesh) => {
      const target = mesh.morphTargetDictionary?.[name.slice(name.startsWith(prefix) ? prefix.length : 0)];
      return target === undefined ? [] : [[f, mesh, target] as const];
    }),
  );
  return ({ pose: { translations: t, rotations: r, scales: s, faces: numbers } }) => {
    for (const [j, node] of joints) {
      node.position.set(t[3 * j], t[3 * j + 1], t[3 * j + 2]);
      node.quaternion.set(r[4 * j], r[4 * j + 1], r[4 * j + 2], r[4 * j + 3]);
      node.scale.set(s[3 * j], s[3 * j + 1], s[3 * j + 2]);
    }
    for (const [f, mesh, target] of faces)
      if (mesh.morphTargetInfluences) mesh.morphTargetInfluences[target] = numbers[f];
  };
}
