import { WebIO } from '@gltf-transform/core';
import fc from 'fast-check';
import { validateBytes } from 'gltf-validator';
import { describe, expect, it } from 'vitest';
import { rigOfSize, takeOfSize, takeStack } from '../bench/subject.js';
import {
  type BakePlan,
  type BlockBaker,
  bake,
  bakeBlock,
  bakeInBlocks,
  planBake,
} from '../src/bake/index.js';
import { projectFromTake } from '../src/edit/index.js';
import { readTake, writeBvh, writeGlb } from '../src/format/index.js';
import { compileStack, evaluateStack, keyed, type Project, restPose } from '../src/index.js';
import { Cancelled } from '../src/job/index.js';
import type { Samples } from '../src/take/index.js';
import { anyGroundedProject } from './any-ground.js';
import { anyProject } from './any-stack.js';
import { captureBytes } from './capture.js';

const { take } = readTake('01_01.bvh', captureBytes());
const capture = projectFromTake(take);

/** Workers of their own, each with its own compiled stack. */
const workers = (project: Project, plan: BakePlan, count: number): BlockBaker[] =>
  Array.from({ length: count }, () => {
    const stack = compileStack(project);
    return async (from, to) => bakeBlock(stack, plan, from, to);
  });

const numbers = (samples: Samples) =>
  [samples.translations, samples.rotations, samples.scales].map(({ values }) => values);

describe('a bake in blocks', () => {
  it('by a worker makes ready the samples of its own frames alone', () => {
    const rig = rigOfSize(9);
    const project = takeStack(takeOfSize(rig, 100, 1), [takeOfSize(rig, 100, 2)], 'additive', 0.5);
    const stack = compileStack(project);
    const ready = () =>
      [...stack.kernel!.tracks.values()].map(([one]) => one!.written.filter(Boolean).length);
    expect(Math.max(...ready())).toBe(0);
    bakeBlock(stack, planBake(project, {}), 40, 50);
    // Each has those of ten frames, and the one that a change is measured from.
    for (const count of ready()) expect(count).toBeLessThanOrEqual(12);
    expect(Math.max(...ready())).toBeGreaterThanOrEqual(10);
  });

  it('is what the view shows, to the bit, however it is split', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.oneof(anyProject, anyGroundedProject),
        fc.array(fc.integer({ min: 1, max: 6 }), { minLength: 1, maxLength: 4 }),
        fc.constantFrom(24, 30, 61.7),
        async (project, cuts, fps) => {
          const plan = planBake(project, { fps });
          const whole = bakeBlock(compileStack(project), plan, 0, plan.count);
          // By hand, backwards, in uneven pieces on one stack.
          const stack = compileStack(project);
          const pieces: [number, Samples][] = [];
          let to = plan.count;
          for (let k = 0; to > 0; k++) {
            const from = Math.max(0, to - 5 * cuts[k % cuts.length]);
            pieces.push([from, bakeBlock(stack, plan, from, to)]);
            to = from;
          }
          const n = project.rig.joints.length;
          for (const [from, piece] of pieces) {
            expect(piece.rotations.values).toEqual(
              whole.rotations.values.slice(4 * n * from, 4 * n * (from + piece.count)),
            );
            expect(piece.translations.values).toEqual(
              whole.translations.values.slice(3 * n * from, 3 * n * (from + piece.count)),
            );
          }
          // Frame by frame, as the view does it.
          const pose = restPose(project.rig);
          for (let k = 0; k < plan.count; k++) {
            evaluateStack(stack, plan.first + k * plan.step, pose);
            expect(whole.rotations.values.slice(4 * n * k, 4 * n * (k + 1))).toEqual(pose.rotations);
            expect(whole.translations.values.slice(3 * n * k, 3 * n * (k + 1))).toEqual(pose.translations);
            expect(whole.scales.values.slice(3 * n * k, 3 * n * (k + 1))).toEqual(pose.scales);
          }
          // By several workers.
          const joined = await bakeInBlocks(project.rig, plan, workers(project, plan, cuts.length), {});
          expect(numbers(joined)).toEqual(numbers(whole));
        },
      ),
      { numRuns: 60 },
    );
  });

  it('tells how far it has come, and stops within a part when it is told', async () => {
    const plan = planBake(capture, { fps: 20 * capture.fps });
    const told: number[] = [];
    const signal = { aborted: false };
    const job = bakeInBlocks(capture.rig, plan, workers(capture, plan, 2), {
      signal,
      onProgress: (done) => {
        told.push(done);
        if (done > 0.05) signal.aborted = true;
      },
    });
    await expect(job).rejects.toThrow(Cancelled);
    expect(told[0]).toBe(0);
    expect(told.every((done, k) => k === 0 || done > told[k - 1])).toBe(true);
    // Parts that were under way are brought to their end: two for each worker, of 1024 samples at most.
    expect(told.at(-1)).toBeLessThan(0.3);
  });

  it('ends with the error of a worker that fails', async () => {
    const plan = planBake(capture, {});
    const [good] = workers(capture, plan, 1);
    let asked = 0;
    const bad: BlockBaker = async () => {
      throw new Error('the thread is gone');
    };
    const counted: BlockBaker = (from, to) => {
      asked++;
      return good(from, to);
    };
    await expect(bakeInBlocks(capture.rig, plan, [counted, bad], {})).rejects.toThrow('the thread is gone');
    const then = asked;
    await new Promise((resolve) => setTimeout(resolve));
    expect(asked).toBe(then);
  });
});

describe('a bake to GLB', () => {
  const scaled: Project = {
    ...capture,
    name: 'Evening walk',
    metresPerUnit: 0.0254,
    layers: [
      ...capture.layers,
      {
        ...capture.layers[0],
        id: 'scaled',
        mode: 'additive',
        content: keyed({ Head: { sx: { keys: [{ id: 'k', frame: 0, value: 2, ease: 'linear' }] } } }),
      },
    ],
  };

  it('is valid, one node a joint, with rotations that never change sign', async () => {
    const samples = await bake(scaled, { range: [0, 900] });
    const bytes = await writeGlb(scaled.rig, samples, {
      name: scaled.name,
      metresPerUnit: scaled.metresPerUnit,
    });
    // gltf-validator of the Khronos Group.
    const { issues } = await validateBytes(bytes);
    expect(issues).toMatchObject({ numErrors: 0, numWarnings: 0 });
    const root = (await new WebIO().readBinary(bytes)).getRoot();
    const nodes = root.listNodes();
    expect(nodes.map((node) => node.getName())).toEqual(scaled.rig.joints.map((joint) => joint.name));
    expect(nodes.map((node) => nodes.indexOf(node.getParentNode()!))).toEqual(
      scaled.rig.joints.map((joint) => joint.parent),
    );
    const [animation, ...others] = root.listAnimations();
    expect(others).toEqual([]);
    expect(animation.getName()).toBe('Evening walk');
    const paths = new Set<string>();
    for (const channel of animation.listChannels()) {
      const sampler = channel.getSampler()!;
      const values = sampler.getOutput()!.getArray()!;
      expect(sampler.getInterpolation()).toBe('LINEAR');
      expect(sampler.getInput()!.getCount()).toBe(901);
      paths.add(`${channel.getTargetNode()!.getName()} ${channel.getTargetPath()}`);
      if (channel.getTargetPath() !== 'rotation') continue;
      let shortest = 1;
      let least = 1;
      for (let o = 0; o < values.length; o += 4) {
        shortest = Math.min(shortest, Math.hypot(...values.slice(o, o + 4)));
        let dot = 0;
        for (let c = 0; o > 0 && c < 4; c++) dot += values[o + c] * values[o - 4 + c];
        if (o > 0) least = Math.min(least, dot);
      }
      expect(shortest).toBeCloseTo(1, 6);
      expect(least).toBeGreaterThan(0);
    }
    expect(paths).toContain('Hips translation');
    expect(paths).toContain('Head scale');
    expect(paths).not.toContain('Neck translation');
    const head = nodes.find((node) => node.getName() === 'Head')!;
    const j = scaled.rig.joints.findIndex((joint) => joint.name === 'Head');
    for (const [axis, value] of head.getTranslation().entries())
      expect(value).toBeCloseTo(scaled.rig.joints[j].translation[axis] * 0.0254, 6);
  });

  it('a bake to BVH of a motion that scales says so', async () => {
    const samples = await bake(scaled, { range: [0, 10] });
    expect(writeBvh(scaled.rig, samples).warnings).toEqual([expect.stringMatching(/no scale.*Head/)]);
  });
});
