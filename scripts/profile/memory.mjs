import { spawn } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { ROOT } from '../run.mjs';

/** The most memory that a process had, in bytes, as Linux counts it; 0 once it has ended. */
export function mostMemory(pid) {
  try {
    return 1024 * Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))[1]);
  } catch {
    return 0;
  }
}

export const megabytes = (bytes) => `${Math.round(bytes / 1e6)} MB`;

/** Runs the command line, and returns the most memory that it had. */
export function memoryOfCommand(...args) {
  const child = spawn(process.execPath, [join(ROOT, 'apps/cli/bin/evlay.mjs'), ...args], { stdio: 'ignore' });
  let most = 0;
  const look = setInterval(() => {
    most = Math.max(most, mostMemory(child.pid));
  }, 20);
  return new Promise((done, fail) =>
    child.on('exit', (code) => {
      clearInterval(look);
      if (code === 0) done(most);
      else fail(new Error(`evlay ${args.join(' ')} ended with ${code}`));
    }),
  );
}
