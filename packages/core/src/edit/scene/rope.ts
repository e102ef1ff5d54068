import { withTargets } from '../../layer/content.js';
import { freeColor, freeName, insertLayer } from '../../layer/insert.js';
import { newLayer } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import { newTarget } from '../../layer/target.js';
import { findLimbs } from '../../rig/limbs.js';
import { sceneName } from '../../rig/rig.js';

/** What the ends of a rope are tied to: joints or props, by name. */
export interface Tied {
  readonly from?: string;
  readonly to?: string;
}

/** The limb of a rope, and the part of all its joints, by its own name. */
const ROPE = 'rope';

/**
 * Lets a character that is a row of joints hang as a rope does, from its second joint, which turns at the place of its root,
 * to its last. Where its ends are tied to something, a layer on top with a target for each holds them there. Gives that layer.
 */
export function hangAsRope(
  project: Project,
  character: number,
  { from, to }: Tied,
): { readonly project: Project; readonly layer?: string } {
  const { name, rig } = project.scene.characters[character];
  const [root, ...chain] = rig.joints.map((joint) => sceneName(name, joint.name));
  const own = sceneName(name, ROPE);
  // Of a row of joints without names of a body no other limb is one.
  const others = findLimbs(rig).map((limb) => [sceneName(name, limb.name), null] as const);
  const shape = { chain, bend: [0, 0, 1], hangs: true } as const;
  const whole = new Set([root, ...chain]);
  const hung: Project = {
    ...project,
    limbs: { ...project.limbs, ...Object.fromEntries(others), [own]: shape },
    parts: project.rig.joints
      .map((joint, j) => (whole.has(joint.name) ? own : project.parts[j]))
      .concat(project.parts.slice(project.rig.joints.length)),
  };
  const targets = [
    ...(from === undefined ? [] : [newTarget(root, { space: from })]),
    ...(to === undefined ? [] : [newTarget(chain[chain.length - 1], { space: to })]),
  ];
  if (targets.length === 0) return { project: hung };
  const layer = newLayer(freeName(hung, `${name} hangs`, true), 'override', { color: freeColor(hung) });
  return { project: insertLayer(hung, withTargets(layer, targets), hung.layers.length), layer: layer.id };
}
