import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { compileStack, evaluateStack, restPose, targetsOf } from '../src/index.js';
import { angleBetween } from '../src/math/index.js';
import { placePose, rigHeight } from '../src/rig/index.js';
import { anyGroundedProject } from './any-ground.js';
import { evaluateReference, worldOf } from './reference.js';
import { delicate } from './reference-ground.js';

describe('targets and contacts', () => {
  it('are where the plain evaluator puts them, on drawn stacks with props', () => {
    let looked = 0;
    let left = 0;
    fc.assert(
      fc.property(
        anyGroundedProject,
        fc.oneof(fc.integer({ min: 0, max: 20 }), fc.double({ min: 0, max: 20, noNaN: true })),
        (project, frame) => {
          const pose = restPose(project.rig);
          evaluateStack(compileStack(project), frame, pose);
          const { matrices, orientations } = placePose(project.rig, pose);
          delicate.seen = false;
          const plain = worldOf(project.rig, evaluateReference(project, frame));
          looked++;
          if (delicate.seen) {
            left++;
            // How far the root comes down is never steep.
            if (project.layers.every((layer) => targetsOf(layer).length === 0))
              expect(matrices[13]).toBeCloseTo(plain.positions[0][1], 5);
            return;
          }
          const near = 1e-5 * rigHeight(project.rig);
          for (const [j, { name }] of project.rig.joints.entries()) {
            const off = Math.hypot(
              ...plain.positions[j].map((value, axis) => value - matrices[16 * j + 12 + axis]),
            );
            expect(off, `${name} at ${frame}`).toBeLessThan(near);
            const turned = angleBetween(orientations, 4 * j, plain.orientations[j], 0);
            expect((turned * 180) / Math.PI, name).toBeLessThan(0.005);
          }
        },
      ),
      { numRuns: 300 },
    );
    // Few are where the rules themselves are steep: a limb at its full length, a knee that comes round.
    expect(left / looked).toBeLessThan(0.1);
  });
});
