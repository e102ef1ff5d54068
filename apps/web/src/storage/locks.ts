/**
 * Locks between the tabs of this browser (Web Locks). A page that has none, since it was not served securely, is
 * alone: it does everything without asking.
 */
const locks = (): LockManager | undefined => globalThis.navigator?.locks;

const STORE = 'evlay.store';

/** Writes or reads what is kept, beside others that do the same. Nothing is swept away meanwhile. */
export async function sharing<T>(work: () => Promise<T>): Promise<T> {
  const manager = locks();
  return manager ? manager.request(STORE, { mode: 'shared' }, work) : work();
}

/** Sweeps where nobody reads or writes just now; otherwise it is left for another time. */
export async function sweeping(work: () => Promise<void>): Promise<void> {
  const manager = locks();
  if (!manager) return work();
  await manager.request(STORE, { mode: 'exclusive', ifAvailable: true }, (lock) =>
    lock ? work() : undefined,
  );
}

const nameOf = (id: string) => `evlay.project.${id}`;

/** A project that this tab holds, and no other can write to. */
export interface Held {
  readonly release: () => void;
  /** Called when another tab has taken it over without asking. */
  lost: (() => void) | undefined;
}

function hold(id: string, options: LockOptions): Promise<Held | undefined> {
  const manager = locks();
  if (!manager) return Promise.resolve({ release: () => undefined, lost: undefined });
  return new Promise((resolve, reject) => {
    let release = () => {};
    const held: Held = { release: () => release(), lost: undefined };
    let given = false;
    manager
      .request(nameOf(id), options, (lock) => {
        if (!lock) {
          resolve(undefined);
          return undefined;
        }
        given = true;
        resolve(held);
        return new Promise<void>((done) => {
          release = done;
        });
      })
      .catch((error: Error) => (given ? held.lost?.() : reject(error)));
  });
}

/** Holds a project; undefined where another tab holds it. */
export const holdProject = (id: string): Promise<Held | undefined> =>
  hold(id, { mode: 'exclusive', ifAvailable: true });

/** How long a tab that is asked for a project has to put it away before it is taken from it, milliseconds. */
const PATIENCE = 3000;

/** Takes a project over from the tab that holds it, which puts its work away first if it still answers. */
export async function takeOverProject(id: string): Promise<Held> {
  const channel = new BroadcastChannel(nameOf(id));
  channel.postMessage('wanted');
  channel.close();
  try {
    return (await hold(id, { mode: 'exclusive', signal: AbortSignal.timeout(PATIENCE) }))!;
  } catch {
    return (await hold(id, { mode: 'exclusive', steal: true }))!;
  }
}

/** Tells when another tab wants a project that this one holds; returns what ends that. */
export function whenWanted(id: string, wanted: () => void): () => void {
  if (!locks()) return () => undefined;
  const channel = new BroadcastChannel(nameOf(id));
  channel.onmessage = wanted;
  return () => channel.close();
}

/** Does something to a project that no tab has open; false where one has. */
export async function whileClosed(id: string, work: () => Promise<void>): Promise<boolean> {
  const held = await holdProject(id);
  if (!held) return false;
  try {
    await work();
  } finally {
    held.release();
  }
  return true;
}
