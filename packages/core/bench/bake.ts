import { Worker } from 'node:worker_threads';
import { type BakePlan, type BlockBaker, bakeInBlocks, bakeToFile, planBake } from '../src/bake/index.js';
import { bvhFormat, glbFormat, type MotionFormat } from '../src/format/index.js';
import { channelsOf, keyed, newLayer, type Project } from '../src/index.js';
import type { Samples } from '../src/take/index.js';
import { type Line, yardstick } from './measure.js';
import { keyedStack, rigOfSize, takeOfSize, takeStack, weightCurve } from './subject.js';

const FPS = 120;
const SECONDS = 600;
const CORES = 2;

function threadOf(project: Project, plan: BakePlan): { worker: Worker; baker: BlockBaker } {
  const worker = new Worker(new URL('./block.mjs', import.meta.url), { workerData: { project, plan } });
  const asked: ((part: Samples) => void)[] = [];
  worker.on('message', (part: Samples) => asked.shift()?.(part));
  const baker: BlockBaker = (from, to) =>
    new Promise((done) => {
      asked.push(done);
      worker.postMessage({ from, to });
    });
  return { worker, baker };
}

/**
 * Ten minutes of a capture under 16 layers such as animators stack: four takes that add or replace with weights that
 * come and go, and twelve layers keyed on a part of the body, which hold after three seconds or are repeated.
 */
export function subject(repeated = false): Project {
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
          ...(repeated && { time: { offset: 0, speed: 1, loop: 'repeat' as const } }),
          content: keyed(Object.fromEntries(Object.entries(channelsOf(layer)).slice(2 * i, 2 * i + 6))),
        }),
      ),
    ],
  };
}

/** Bakes to samples, and to the files that are written meanwhile. */
export async function bakeLines(): Promise<Line[]> {
  const length = '10 minutes at 120 fps, 31 joints, 16 layers';
  const held = subject();
  const collected = (plan: BakePlan, bakers: readonly BlockBaker[]) =>
    bakeInBlocks(held.rig, plan, bakers).then(() => undefined);
  const written = (format: (shape: { count: number; interval: number }) => MotionFormat) => {
    const sink = { begin: () => {}, write: () => {} };
    return (plan: BakePlan, bakers: readonly BlockBaker[]) =>
      bakeToFile(format({ count: plan.count, interval: 1 / plan.rate }), plan, bakers, sink).then(
        () => undefined,
      );
  };
  const { rig } = held;
  return [
    await bakeLine(`bake: ${length}`, held, collected),
    await bakeLine('… keyed layers repeated', subject(true), collected),
    await bakeLine(
      '… as a GLB',
      held,
      written((shape) => glbFormat(rig, shape, { name: 'bake', metresPerUnit: 1 })),
    ),
    await bakeLine(
      '… as a BVH',
      held,
      written((shape) => bvhFormat(rig, shape)),
    ),
  ];
}

async function bakeLine(
  name: string,
  project: Project,
  work: (plan: BakePlan, bakers: readonly BlockBaker[]) => Promise<void>,
): Promise<Line> {
  const plan = planBake(project, {});
  const threads = Array.from({ length: CORES }, () => threadOf(project, plan));
  const bakers = threads.map(({ baker }) => baker);
  // Threads start and compile before the clock does.
  await Promise.all(bakers.map((baker) => baker(0, 2000)));
  const seconds: number[] = [];
  const yards: number[] = [];
  for (let round = 0; round < 3; round++) {
    const started = performance.now();
    await work(plan, bakers);
    seconds.push((performance.now() - started) / 1000);
    yards.push(yardstick());
  }
  for (const { worker } of threads) await worker.terminate();
  const median = seconds.sort((a, b) => a - b)[1];
  return {
    name,
    unit: 'times real time',
    value: SECONDS / median,
    reference: null,
    ratio: null,
    yard: yards.sort((a, b) => a - b)[1],
  };
}
