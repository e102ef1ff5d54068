import { limbsOf } from '../rig/limbs.js';
import { type CompiledLimb, compileLimb, LimbError } from '../rig/reach.js';
import type { Rig } from '../rig/rig.js';

/** The limb of a rig down to a joint, made ready to reach; undefined where there is none that bends. */
export function limbTo(rig: Rig, joint: number): CompiledLimb | undefined {
  const { name } = rig.joints[joint];
  for (const limb of limbsOf(rig, {})) {
    const end = limb.chain.indexOf(name);
    if (end < 2) continue;
    try {
      return compileLimb(rig, { ...limb, chain: limb.chain.slice(0, end + 1) });
    } catch (error) {
      if (!(error instanceof LimbError)) throw error;
    }
  }
  return undefined;
}
