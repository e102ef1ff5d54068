import { Cancelled, startJob, supervised, WorkerLost } from '@evlay/core/job';
import { describe, expect, it } from 'vitest';
import { startingThread } from '../src/threads.js';

type Ask = (question: unknown) => Promise<unknown>;

/** A real thread that does what it is told: answers, throws, ends, sends what cannot be cloned, or never answers. */
const TOLD = new URL(
  `data:text/javascript,${encodeURIComponent(`
    import { parentPort, workerData } from 'node:worker_threads';
    let asked = 0;
    parentPort.on('message', (told) => {
      asked++;
      if (told === 'throw') throw new Error('the take has no joints');
      if (told === 'end') process.exit(1);
      if (told === 'function') parentPort.postMessage(() => 1);
      if (told !== 'wait') parentPort.postMessage([workerData, told, asked]);
    });
  `)}`,
);

const thread = (data: string) => supervised<Ask>('bakes', startingThread<unknown, unknown>(TOLD, data));

describe('a thread that is watched', () => {
  it('fails what it is asked with a reason, and is begun anew with the next question', async () => {
    const one = thread('one');
    const other = thread('other');
    const ask = (of: typeof one, what: string) => of.ask((port) => port(what));
    expect(await ask(one, 'first')).toEqual(['one', 'first', 1]);
    for (const [what, why] of [
      ['throw', 'the take has no joints'],
      ['end', 'was ended'],
      ['function', 'could not hand over'],
    ]) {
      const waits = ask(other, 'wait').catch((error: unknown) => error);
      // What was asked before and has no answer yet fails with it, and nothing of another thread does.
      const both = await Promise.allSettled([ask(one, 'wait'), ask(one, what)]);
      for (const { status, ...rest } of both) {
        expect(status).toBe('rejected');
        const { reason } = rest as { reason: Error };
        expect(reason).toBeInstanceOf(WorkerLost);
        expect(reason.message).toContain(why);
      }
      expect(await ask(one, 'next')).toEqual(['one', 'next', 1]);
      other.end();
      expect(await waits).toBeInstanceOf(Cancelled);
    }
    expect(await ask(other, 'again')).toEqual(['other', 'again', 1]);
    one.end();
    other.end();
  });

  it('that was begun anew is not taken for the one before', async () => {
    const one = thread('one');
    await one.ask((port) => port('first'));
    const before = one.running();
    await expect(one.ask((port) => port('end'))).rejects.toThrow(WorkerLost);
    await expect(one.ask((port) => port('next'), before)).rejects.toThrow(WorkerLost);
    expect(one.running()).toBeUndefined();
    one.end();
  });

  it('whose file is not there says so', async () => {
    const none = supervised<Ask>('bakes', startingThread(new URL('./none.mjs', import.meta.url)));
    await expect(none.ask((port) => port('x'))).rejects.toThrow(/part of Evlay that bakes failed/);
  });
});

describe('a job', () => {
  it('is told of until it is cancelled, and then comes to nothing whatever the work still brings', async () => {
    let tell: (done: number) => void = () => undefined;
    let bring: (value: string) => void = () => undefined;
    const job = startJob('Baking', ({ onProgress }) => {
      tell = onProgress;
      return new Promise<string>((resolve) => {
        bring = resolve;
      });
    });
    const heard: number[] = [];
    job.progress.subscribe(() => heard.push(job.progress.get()));
    tell(0.25);
    tell(0.25);
    job.cancel();
    tell(0.5);
    bring('late');
    expect(await job.result).toBeUndefined();
    expect(heard).toEqual([0.25]);
    await expect(startJob('Baking', () => Promise.reject(new Error('no room'))).result).rejects.toThrow(
      'no room',
    );
    expect(await startJob('Baking', () => Promise.reject(new Cancelled())).result).toBeUndefined();
  });
});
