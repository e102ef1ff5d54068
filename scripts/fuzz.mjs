import { fork } from 'node:child_process';
import { availableParallelism } from 'node:os';
import { parseArgs } from 'node:util';
import { bundle, installPackages } from './run.mjs';

/**
 * Enters damaged files through every door, each in a process with a limit of time and memory:
 * `npm run fuzz -- --count 1000000 --seed 1 --door bvh`. Prints what ended otherwise than in a typed error or a valid
 * result. An input is named by door, seed and number, and is the same whenever it is made.
 */
const DOORS = ['bvh', 'glb', 'character', 'gltf', 'stack', 'project', 'mapping'];
const { values } = parseArgs({
  options: {
    count: { type: 'string', default: '70000' },
    seed: { type: 'string', default: '1' },
    door: { type: 'string' },
    from: { type: 'string', default: '0' },
  },
});
const seed = Number(values.seed);
const names = values.door ? [values.door] : DOORS;
const each = Math.ceil(Number(values.count) / names.length);
/** Milliseconds and megabytes that an input may take. */
const TIME = 2000;
const MEMORY = 512;
const BATCH = 500;

installPackages();
bundle({ fuzz: 'test/fuzz/child.ts' });
const file = 'packages/core/dist/fuzz.mjs';

const waiting = names.flatMap((name) =>
  Array.from({ length: Math.ceil(each / BATCH) }, (_, b) => ({
    name,
    from: Number(values.from) + b * BATCH,
    to: Number(values.from) + Math.min(each, (b + 1) * BATCH),
  })),
);
const faults = [];
let entered = 0;
let refused = 0;
let slowest = { time: 0 };

/** Enters a batch in a process of its own, or goes on in one that is there. Resolves with the process, if it still is. */
function enter(batch, child) {
  return new Promise((resolve) => {
    let current;
    let began = Number.POSITIVE_INFINITY;
    const report = (k, text) => faults.push(`${batch.name} --seed ${seed} --from ${k}: ${text}`);
    const stop = (text) => {
      clearInterval(timer);
      child.removeAllListeners();
      child.kill('SIGKILL');
      if (current !== undefined) {
        // What ran out of time or memory beside others is entered again alone, and only then counts.
        if (text && batch.to - batch.from > 1) waiting.push({ ...batch, from: current, to: current + 1 });
        else {
          if (text) report(current, text);
          entered++;
        }
        if (current + 1 < batch.to) waiting.push({ ...batch, from: current + 1 });
      } else if (text) waiting.push(batch);
      resolve(undefined);
    };
    const timer = setInterval(() => {
      if (performance.now() - began > TIME) stop(`longer than ${TIME} ms`);
    }, 100);
    child.removeAllListeners();
    child.on('exit', (code, signal) => stop(`the process ended (${code ?? signal})`));
    child.on('message', (message) => {
      if (message.ready) child.send({ name: batch.name, seed, from: batch.from, to: batch.to });
      if (message.begins !== undefined) {
        current = message.begins;
        began = performance.now();
      }
      if (message.ended !== undefined) {
        began = Number.POSITIVE_INFINITY;
        entered++;
        if (message.refused) refused++;
        if (message.fault) report(message.ended, message.fault);
        if (message.time > TIME) report(message.ended, `${Math.round(message.time)} ms`);
        if (message.time > slowest.time)
          slowest = { time: message.time, input: `${batch.name} ${message.ended}` };
        // One that was entered alone tells of itself; in a process that entered others the rest is told again.
        if (message.memory > MEMORY) {
          if (batch.to - batch.from === 1) report(message.ended, `${Math.round(message.memory)} MB`);
          else {
            waiting.push({ ...batch, from: message.ended, to: message.ended + 1 });
            entered--;
            current = message.ended;
            stop();
          }
        }
      }
      if (message.done) {
        clearInterval(timer);
        child.removeAllListeners();
        resolve(child);
      }
    });
    if (child.ready) child.send({ name: batch.name, seed, from: batch.from, to: batch.to });
    child.ready = true;
  });
}

const started = performance.now();
async function work() {
  let child;
  for (let batch = waiting.shift(); batch; batch = waiting.shift()) {
    // An input that is looked at alone has a process of its own.
    if (child && batch.to - batch.from === 1) {
      child.kill();
      child = undefined;
    }
    child ??= fork(file, {
      execArgv: ['--max-old-space-size=512'],
      stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
    });
    child = await enter(batch, child);
  }
  child?.kill();
}
const told = setInterval(() => {
  process.stderr.write(
    `${entered} entered, ${refused} refused, ${faults.length} faults, ${Math.round((performance.now() - started) / 1000)} s\n`,
  );
}, 30_000);
await Promise.all(Array.from({ length: availableParallelism() }, work));
clearInterval(told);
for (const fault of faults.slice(0, 100)) console.log(fault);
console.log(
  `${entered} inputs entered, ${refused} refused; the slowest, ${slowest.input}, took ${Math.round(slowest.time)} ms`,
);
console.log(`${faults.length} faults`);
process.exit(faults.length > 0 ? 1 : 0);
