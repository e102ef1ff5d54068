import { setFlagsFromString } from 'node:v8';
import { describe, expect, it } from 'vitest';
import { keyedStack, rigOfSize, takeOfSize, takeStack } from '../bench/subject.js';
import { newAttribution } from '../src/evaluate/index.js';
import { compileStack, evaluateStack, type Project, restPose } from '../src/index.js';

// Alone in its file, so that the engine has seen nothing but what is measured when it is optimised; and by no thread
// beside it, since what is put in boxes would depend on when that has finished; and without throwing away what was
// compiled, whose second time would be another. The loop of the test runs once and is not optimised while it runs:
// evaluating would become a part of it, compiled anew each time that the engine guessed wrongly about the loop.
for (const flag of ['--no-concurrent-recompilation', '--no-use-osr', '--no-flush-bytecode'])
  setFlagsFromString(flag);

describe('evaluating a frame', () => {
  it('allocates nothing: the heap is the same after 200,000 frames', () => {
    const collect = (globalThis as { gc?: () => void }).gc!;
    expect(collect).toBeTypeOf('function');
    const rig = rigOfSize(20);
    const base = takeOfSize(rig, 40, 1);
    const takes = [2, 3].map((seed) => takeOfSize(rig, 40, seed));
    const keyed = keyedStack(rig, base, 3);
    const others = takeStack(base, takes, 'additive', 0.5);
    const world = { ...keyed.layers[1], id: 'world', axes: 'world' as const };
    const placed = {
      ...others.layers[1],
      id: 'placed',
      mode: 'override' as const,
      placement: { pivot: [0, 0, 0] as const, tx: 1, ty: 0, tz: 0, rx: 0, ry: 90, rz: 0 },
      time: { offset: 3, speed: -0.5, loop: 'travel' as const },
    };
    const project: Project = {
      ...others,
      layers: [...others.layers, ...keyed.layers.slice(1), world, placed],
    };
    // Frames are whole numbers, which need no box as an argument; at this rate they fall between samples.
    const stack = compileStack({ ...project, fps: 24.7 });
    const pose = restPose(rig);
    const shown = newAttribution(project.layers.length, project.rig);
    const rounds = new Float64Array(10);
    let before = 0;
    for (let k = 0; k <= 20_000 * rounds.length; k++) {
      if (k % 20_000 === 0) {
        if (k > 0) rounds[k / 20_000 - 1] = process.memoryUsage().heapUsed - before;
        collect();
        before = process.memoryUsage().heapUsed;
      }
      evaluateStack(stack, k % 90, pose, k % 2 ? shown : undefined);
    }
    // What allocates at every frame shows in every round, but for one in which a collection falls; that the engine
    // compiles something anew shows in some. A number in a box has 12 bytes or more.
    expect(rounds.sort()[2]).toBeLessThan(20_000 * 4);
  });
});
