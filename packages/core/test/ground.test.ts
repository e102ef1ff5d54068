import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { evaluateFrames, poseBlock } from '../src/evaluate/index.js';
import { compileStack, evaluateStack, restPose } from '../src/index.js';
import { anyGroundedProject } from './any-ground.js';
import { anyProject } from './any-stack.js';
import { isAsPlain } from './as-plain.js';

const anyFrame = fc.oneof(fc.integer({ min: 0, max: 20 }), fc.double({ min: 0, max: 20, noNaN: true }));

describe('targets and contacts', () => {
  it('are where the plain evaluator puts them, on drawn stacks with props', () => {
    let left = 0;
    fc.assert(
      fc.property(anyGroundedProject, anyFrame, (project, frame) => {
        if (!isAsPlain(project, frame)) left++;
      }),
      { numRuns: 100 },
    );
    // Where the rules themselves jump: a limb on the very angle from which it bends on in its own plane.
    expect(left).toBeLessThan(4);
  });

  it('are the same to the bit in whatever order, in whatever pieces frames are evaluated', () => {
    for (const any of [anyGroundedProject, anyProject])
      fc.assert(
        fc.property(any, fc.array(anyFrame, { minLength: 2, maxLength: 8 }), (project, frames) => {
          const alone = frames.map((frame) => {
            const pose = restPose(project.rig);
            evaluateStack(compileStack(project), frame, pose);
            return pose;
          });
          const stack = compileStack(project);
          for (const [k, frame] of [...frames.entries()].reverse()) {
            const pose = restPose(project.rig);
            evaluateStack(stack, frame, pose);
            expect(pose).toEqual(alone[k]);
          }
          const block = poseBlock(project.rig);
          evaluateFrames(compileStack(project), Float64Array.from(frames), frames.length, block);
          for (const [k, pose] of alone.entries()) expect({ ...block.poses[k] }).toEqual({ ...pose });
        }),
        { numRuns: 100 },
      );
  });
});
