import { Worker } from 'node:worker_threads';
import { type BakePlan, bakeInParts, type PartBaker, planBake } from '../src/bake/index.js';
import { channelsOf, keyed, newLayer, type Project } from '../src/index.js';
import type { Samples } from '../src/take/index.js';
import type { Line } from './measure.js';
import { keyedStack, rigOfSize, takeOfSize, takeStack, weightCurve } from './subject.js';

const FPS = 120;
const SECONDS = 600;
const CORES = 2;

function threadOf(project: Project, plan: BakePlan): { worker: Worker; baker: PartBaker } {
  const worker = new Worker(new URL('./part.mjs', import.meta.url), { workerData: { project, plan } });
  const asked: ((part: Samples) => void)[] = [];
  worker.on('message', (part: Samples) => asked.shift()?.(part));
  const baker: PartBaker = (from, to) =>
    new Promise((done) => {
      asked.push(done);
      worker.postMessage({ from, to });
    });
  return { worker, baker };
}

/**
 * Ten minutes of a capture under 16 layers such as animators stack: four takes that add or replace with weights that
 * come and go, and twelve layers keyed on a part of the body.
 */
export function subject(): Project {
  const rig = rigOfSize(31);
  const base = { ...takeOfSize(rig, FPS * SECONDS + 1, 1), interval: 1 / FPS };
  const takes = [2, 3, 4, 5].map((seed) => ({ ...takeOfSize(rig, 2400, seed), interval: 1 / FPS }));
  const stack = takeStack(base, takes, 'additive', 0.3);
  const others = keyedStack(rig, base, 12).layers.slice(1);
  return {
    ...stack,
    fps: FPS,
    range: [0, FPS * SECONDS],
    layers: [
      stack.layers[0],
      ...stack.layers.slice(1).map((layer, i) => ({
        ...layer,
        mode: i % 2 === 0 ? ('additive' as const) : ('override' as const),
        weight: weightCurve(i),
        time: { offset: 0, speed: 1, loop: 'repeat' as const },
      })),
      ...others.map((layer, i) =>
        newLayer(layer.name, layer.mode, {
          weight: layer.weight,
          content: keyed(Object.fromEntries(Object.entries(channelsOf(layer)).slice(2 * i, 2 * i + 6))),
        }),
      ),
    ],
  };
}

export async function bakeLine(): Promise<Line> {
  const project = subject();
  const plan = planBake(project, {});
  const threads = Array.from({ length: CORES }, () => threadOf(project, plan));
  const bakers = threads.map(({ baker }) => baker);
  // Threads start and compile before the clock does.
  await Promise.all(bakers.map((baker) => baker(0, 2000)));
  const seconds: number[] = [];
  for (let round = 0; round < 3; round++) {
    const started = performance.now();
    await bakeInParts(project.rig, plan, bakers, {});
    seconds.push((performance.now() - started) / 1000);
  }
  for (const { worker } of threads) await worker.terminate();
  const median = seconds.sort((a, b) => a - b)[1];
  return {
    name: 'bake: 10 minutes at 120 fps, 31 joints, 16 layers',
    unit: 'times real time',
    value: SECONDS / median,
    reference: null,
    ratio: null,
  };
}
