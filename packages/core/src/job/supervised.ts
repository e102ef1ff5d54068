import { Cancelled } from './job.js';

/** A worker of a browser or a thread of Node.js that runs: what it is asked through, and how it is ended. */
export interface Running<Port> {
  readonly port: Port;
  readonly end: () => void;
}

/** Starts a worker. `lost` is called when it ended by itself or cannot be understood, with why: "ran out of memory". */
export type StartWorker<Port> = (lost: (why: string) => void) => Running<Port>;

/** A worker that ended while it was asked for something. */
export class WorkerLost extends Error {
  constructor(does: string, why: string) {
    super(`The part of Evlay that ${does} ${why}. Nothing is lost; try it again.`);
    this.name = 'WorkerLost';
  }
}

/** A worker that is watched: what is asked of it either comes or fails, and it is begun anew when it is needed again. */
export interface Supervised<Port> {
  /**
   * Asks it, and begins it where it does not run. Fails with what it throws, with {@link WorkerLost} where it ends
   * meanwhile, and with {@link Cancelled} where it is ended. With `of` it is asked only while that is what it is asked
   * through: one that was begun anew holds nothing of what the one before was given.
   */
  readonly ask: <R>(ask: (port: Port) => R, of?: Port) => Promise<Awaited<R>>;
  /** Ends it at once, in the middle of what it does. */
  readonly end: () => void;
  /** What it is asked through; undefined where it does not run. */
  readonly running: () => Port | undefined;
}

/** Watches a worker; `does` says what it is for: "bakes". */
export function supervised<Port>(does: string, start: StartWorker<Port>): Supervised<Port> {
  let running: Running<Port> | undefined;
  const waiting = new Set<(error: Error) => void>();
  const failAll = (error: Error): void => {
    for (const fail of [...waiting]) fail(error);
    waiting.clear();
  };
  const begun = (): Running<Port> => {
    if (running) return running;
    let mine: Running<Port> | undefined;
    let over = false;
    mine = start((why) => {
      if (over) return;
      over = true;
      mine?.end();
      if (running !== mine) return;
      running = undefined;
      failAll(new WorkerLost(does, why));
    });
    if (!over) running = mine;
    return mine;
  };
  return {
    async ask<R>(ask: (port: Port) => R, of?: Port): Promise<Awaited<R>> {
      if (of !== undefined && running?.port !== of) throw new WorkerLost(does, 'ended');
      const { port } = begun();
      let fail: (error: Error) => void = () => undefined;
      const lost = new Promise<never>((_, reject) => {
        fail = reject;
      });
      waiting.add(fail);
      try {
        return await Promise.race([ask(port), lost]);
      } finally {
        waiting.delete(fail);
      }
    },
    end() {
      const mine = running;
      running = undefined;
      mine?.end();
      failAll(new Cancelled());
    },
    running: () => running?.port,
  };
}
