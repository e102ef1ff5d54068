import { expect } from 'vitest';
import { compileStack, evaluateStack, type Project, restPose } from '../src/index.js';
import { angleBetween } from '../src/math/index.js';
import { placePose, rigHeight } from '../src/rig/index.js';
import { evaluateReference, worldOf } from './reference.js';
import { delicate } from './reference-ground.js';

/**
 * Holds every joint of a project at a frame against the plain evaluator. False where nothing can be said, since the rules themselves
 * jump there: a limb on the very angle from which it bends on in its own plane.
 */
export function isAsPlain(project: Project, frame: number): boolean {
  const { rig } = project;
  const pose = restPose(rig);
  evaluateStack(compileStack(project), frame, pose);
  const { matrices, orientations } = placePose(rig, pose);
  delicate.seen = false;
  const plain = worldOf(rig, evaluateReference(project, frame));
  if (delicate.seen) return false;
  const near = 1e-5 * rigHeight(rig);
  for (const [j, { name }] of rig.joints.entries()) {
    const off = Math.hypot(...plain.positions[j].map((value, axis) => value - matrices[16 * j + 12 + axis]));
    expect(off, `${name} at ${frame}`).toBeLessThan(near);
    const turned = angleBetween(orientations, 4 * j, plain.orientations[j], 0);
    expect((turned * 180) / Math.PI, `turn of ${name} at ${frame}`).toBeLessThan(0.005);
  }
  return true;
}
