import { FileError } from '../../src/format/index.js';
import { doors, inputOf } from './doors.js';

/**
 * A process that is given inputs of a door and enters them one by one. Tells when it begins and ends each, so that it
 * can be ended from outside, and how much memory the process has had.
 */
const all = await doors();
process.on(
  'message',
  async ({ name, seed, from, to }: { name: string; seed: number; from: number; to: number }) => {
    for (let k = from; k < to; k++) {
      const bytes = inputOf(all[name], seed, k);
      process.send!({ begins: k });
      const started = performance.now();
      let fault: string | undefined;
      let refused = false;
      try {
        await all[name].enter(bytes);
      } catch (error) {
        refused = true;
        if (!(error instanceof FileError)) fault = String((error as Error).stack);
        else if (error.message.length > 700 || !/\S/.test(error.message) || /\n/.test(error.message))
          fault = `a message that is no line for people: ${error.message.slice(0, 200)}`;
      }
      const time = performance.now() - started;
      process.send!({ ended: k, fault, refused, time, memory: process.resourceUsage().maxRSS / 1024 });
      // What was sent leaves the process.
      if (k % 50 === 0) await new Promise((resolve) => setImmediate(resolve));
    }
    process.send!({ done: true });
  },
);
process.send!({ ready: true });
