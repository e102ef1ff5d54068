import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  type MergePlan,
  planMerge,
  type RunSamples,
  sampleRun,
  takeOfRun,
  wantedKeysOfRun,
} from '../src/bake/index.js';
import { putMerged } from '../src/edit/index.js';
import { writtenTake } from '../src/format/index.js';
import { finished, keyed, NO_CONTENT, type Project, playing } from '../src/index.js';
import { keysFromSamples, layerChannels } from '../src/keys/index.js';
import { rigHeight } from '../src/rig/index.js';
import { anyGroundedProject } from './any-ground.js';
import { anyProject, between } from './any-stack.js';
import { evaluateReference, worldOf } from './reference.js';

/** How far two projects are apart at a frame, by the plain evaluator: of joints, and of how they are turned, in degrees. */
function difference(a: Project, b: Project, frame: number): { length: number; angle: number } {
  const [one, other] = [a, b].map((project) => worldOf(project.rig, evaluateReference(project, frame)));
  let [length, angle] = [0, 0];
  for (const [j, p] of one.positions.entries()) {
    length = Math.max(length, Math.hypot(...p.map((v, k) => v - other.positions[j][k])));
    const dot = Math.abs(one.orientations[j].reduce((sum, v, k) => sum + v * other.orientations[j][k], 0));
    angle = Math.max(angle, (2 * Math.acos(Math.min(1, dot)) * 180) / Math.PI);
  }
  return { length, angle };
}

async function asKeys(plan: MergePlan, run: RunSamples, length: number, angle: number) {
  const { rig } = plan.project;
  const keys = await keysFromSamples(rig, run.after, wantedKeysOfRun(plan, run, { length, angle }));
  return { keys, content: keyed(layerChannels(rig, keys, run.plan.first, run.plan.step)) };
}

describe('a merge', () => {
  const runs = fc.tuple(between(0, 0.999), between(0, 0.999));
  it.each([
    ['of layers of every kind', anyProject, 60],
    ['of targets, contacts and changes', anyGroundedProject, 15],
  ] as const)(
    '%s looks the same at every frame, to the error that it states',
    async (_, projects, numRuns) => {
      let kinds = '';
      await fc.assert(
        fc.asyncProperty(projects as fc.Arbitrary<Project>, runs, async (drawn, [low, part]) => {
          const project = { ...drawn, range: [drawn.range[0], Math.min(drawn.range[1], 12)] as const };
          const from = Math.floor(low * project.layers.length);
          const to = from + Math.floor(part * (project.layers.length - from));
          const plan = planMerge(project, from, to);
          if (typeof plan === 'string') return;
          kinds += plan.kind;
          const run = finished(sampleRun(plan));
          const height = rigHeight(project.rig);
          const { keys, content } = await asKeys(plan, run, height / 500, 0.3);
          expect(keys.error.length).toBeLessThanOrEqual(height / 500);
          expect(keys.error.angle).toBeLessThanOrEqual(0.3);
          const merged = putMerged(project, plan, { content });
          expect(merged.layers).toHaveLength(project.layers.length - (to - from));
          const [top, result] = [project.layers[to], merged.layers[from]];
          expect([result.name, result.id]).toEqual([top.name, top.id]);
          const adds = plan.merged.every((layer) => layer.mode === 'additive' && layer.axes === 'joint');
          if (
            adds &&
            from > 0 &&
            plan.merged.every(({ content: c }) => c.kind !== 'curves' || c.targets.length === 0)
          )
            expect(result.mode).toBe('additive');
          // What lies above changes the error: looked at is the stack up to the merged layer.
          const upTo = (of: Project, end: number): Project => ({
            ...of,
            layers: of.layers.map((layer, k) => (k > end ? { ...layer, muted: true } : layer)),
          });
          const soloed =
            project.layers.some(({ solo }, k) => solo && k > to) || project.groups.some(({ solo }) => solo);
          for (let frame = project.range[0]; frame <= project.range[1]; frame++) {
            const { length, angle } = soloed
              ? difference(project, merged, frame)
              : difference(upTo(project, to), upTo(merged, from), frame);
            if (!soloed) {
              expect(length).toBeLessThan(keys.error.length + 2e-5 * Math.max(1, height));
              expect(angle).toBeLessThan(keys.error.angle + 5e-3);
            } else expect(length).toBeLessThan(height / 20);
          }
        }),
        { numRuns, seed: 7 },
      );
      for (const kind of ['base', 'override', ...(numRuns > 20 ? ['additive'] : [])])
        expect(kinds).toContain(kind);
    },
  );

  it('to every frame is the same to rounding, also after it is put away and read again', async () => {
    await fc.assert(
      fc.asyncProperty(anyProject, runs, async (drawn, [low, part]) => {
        const project = { ...drawn, range: [2, 9] as const };
        const from = Math.floor(low * project.layers.length);
        const to = from + Math.floor(part * (project.layers.length - from));
        const plan = planMerge(project, from, to);
        if (typeof plan === 'string') return;
        const run = finished(sampleRun(plan));
        const motion = takeOfRun(plan, run);
        const take = motion && writtenTake(motion, { name: 'merged', file: 'merged.glb', metresPerUnit: 1 });
        const content = take ? playing(take.id, 'rest') : NO_CONTENT;
        const merged = putMerged(project, plan, { content, take });
        for (const frame of [2, 5, 9]) {
          const { length, angle } = difference(project, merged, frame);
          // Within what every path may differ by (`docs/evaluation.md`), for what is seen before and after.
          expect(length).toBeLessThan(5e-5 * Math.max(1, rigHeight(project.rig)));
          expect(angle).toBeLessThan(1e-2);
        }
      }),
      { numRuns: 30, seed: 3 },
    );
  });
});
