import { channelsOf, contactsOf, keyed, targetsOf } from '../layer/content.js';
import type { Project } from '../layer/project.js';
import { compiledLimbs } from '../rig/compiled-limbs.js';
import { jointIndex } from '../rig/rig.js';

/**
 * The project without the keys and samples of joints on which it does not depend where some joints are: those are on the way to them
 * from the root, and where layers hold something, also on the way to what is held. It is evaluated in less time.
 */
export function leanFor(project: Project, joints: readonly number[]): Project {
  const { rig, layers } = project;
  const wanted = new Set<number>();
  const want = (joint: number) => {
    for (let j = joint; j >= 0 && !wanted.has(j); j = rig.joints[j].parent) wanted.add(j);
  };
  joints.forEach(want);
  want(0);
  if (layers.some((layer) => contactsOf(layer) || targetsOf(layer).length > 0)) {
    for (const { chain } of compiledLimbs(rig, project.limbs)) want(chain[chain.length - 1]);
    const held = layers.flatMap((layer) => [
      ...targetsOf(layer).flatMap(({ joint, space }) => (space === undefined ? [joint] : [joint, space])),
      ...Object.values(contactsOf(layer)?.limbs ?? {}).flatMap(({ points }) =>
        points.map(({ joint }) => joint),
      ),
    ]);
    for (const joint of held) want(jointIndex(rig, joint));
  }
  const others = Object.fromEntries(
    rig.joints.flatMap(({ name }, j) => (wanted.has(j) ? [] : [[name, 0] as const])),
  );
  return {
    ...project,
    layers: layers.map((layer) => {
      if (layer.content.kind === 'take') return { ...layer, joints: { ...layer.joints, ...others } };
      if (layer.content.kind !== 'curves') return layer;
      const kept = Object.entries(channelsOf(layer)).filter(([joint]) => wanted.has(jointIndex(rig, joint)));
      return { ...layer, content: keyed(Object.fromEntries(kept), targetsOf(layer)) };
    }),
  };
}
