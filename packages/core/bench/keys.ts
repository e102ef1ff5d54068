import { existsSync, readFileSync } from 'node:fs';
import { Worker } from 'node:worker_threads';
import { bake, startApart, takeApart } from '../src/bake/index.js';
import { projectFromTake } from '../src/edit/index.js';
import { readTake } from '../src/format/index.js';
import { keyed, newKey, newLayer, type Project } from '../src/index.js';
import {
  type FittedTracks,
  type KeysBlock,
  type KeysMaker,
  keysFromSamples,
  usualLimits,
} from '../src/keys/index.js';
import { everyMember, type Samples } from '../src/take/index.js';
import { type Line, lineOf } from './measure.js';
import { rigOfSize, takeOfSize } from './subject.js';

const CORES = 2;

function threadOf(): { worker: Worker; maker: KeysMaker } {
  const worker = new Worker(new URL('./keys-block.mjs', import.meta.url));
  const asked: ((found: FittedTracks) => void)[] = [];
  worker.on('message', (found: FittedTracks) => asked.shift()?.(found));
  const maker = (block: KeysBlock) =>
    new Promise<FittedTracks>((done) => {
      asked.push(done);
      worker.postMessage(block);
    });
  return { worker, maker };
}

/** Keys from samples on two cores, and a finished motion taken apart. */
export async function keysLines(capture: string): Promise<Line[]> {
  if (!existsSync(capture)) return [];
  const { take } = readTake('01_01.bvh', readFileSync(capture));
  const { rig } = take;
  const threads = Array.from({ length: CORES }, threadOf);
  const makers = threads.map(({ maker }) => maker);
  const limits = usualLimits(rig);
  const samples = everyMember(take);
  const heavyRig = rigOfSize(65);
  // A minute at 120 a second; smooth, as made performances are.
  const heavy: Samples = everyMember({ ...takeOfSize(heavyRig, 7201, 3), interval: 1 / 120 });
  const timed = async <T>(work: () => Promise<T>): Promise<[number, T]> => {
    const started = performance.now();
    const result = await work();
    return [performance.now() - started, result];
  };
  // Threads are warm before the clock starts.
  await keysFromSamples(rig, samples, { ...limits, space: 'euler' }, { makers });
  const [few, keys] = await timed(() =>
    keysFromSamples(rig, samples, { ...limits, space: 'euler' }, { makers }),
  );
  const [long] = await timed(() =>
    keysFromSamples(heavyRig, heavy, { ...usualLimits(heavyRig), space: 'euler' }, { makers }),
  );
  const open = projectFromTake(take);
  const lean = (joint: string, rx: number) =>
    newLayer(joint, 'additive', {
      weight: { keys: [newKey(0, 0), newKey(900, 1), newKey(2000, 0.4)] },
      content: keyed({ [joint]: { rx: { keys: [newKey(0, rx)] } } }),
    });
  const done: Project = {
    ...open,
    layers: [...open.layers, lean('RightArm', 30), lean('Head', 20), lean('LowerBack', 9)],
  };
  const finished = await bake(done);
  const { project } = startApart(open, take);
  const [apart] = await timed(() => takeApart(project, finished, limits, { makers }));
  for (const { worker } of threads) await worker.terminate();
  return [
    lineOf('keys of 2752 frames, 31 joints, 1 mm and 0.2 degrees', 'ms', few),
    lineOf('keys of every sample that are left', 'percent', (100 * keys.after) / keys.before),
    lineOf('keys of a minute at 120 fps, 65 joints', 'ms', long),
    lineOf('take 2752 frames apart', 'ms', apart),
  ];
}
