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

/** What tabs say to each other about a project: who has it, who wants it, and that one has it. */
type Word = 'who' | 'wanted' | 'mine';

/** Milliseconds to wait for a lock whose holder does not answer: a page that was left lets go of its own soon. */
const LONGEST_WAIT = 3000;

/** Waits for a project until its holder says that it has it. Undefined then, or after {@link LONGEST_WAIT}. */
async function waitFor(id: string): Promise<Held | undefined> {
  const channel = new BroadcastChannel(nameOf(id));
  const answered = new AbortController();
  channel.onmessage = ({ data }: MessageEvent<Word>) => data === 'mine' && answered.abort();
  channel.postMessage('who' satisfies Word);
  const signal = AbortSignal.any([answered.signal, AbortSignal.timeout(LONGEST_WAIT)]);
  try {
    return await hold(id, { mode: 'exclusive', signal });
  } catch {
    return undefined;
  } finally {
    channel.close();
  }
}

/** Holds a project; undefined where another tab has it open. */
export const holdProject = async (id: string): Promise<Held | undefined> =>
  (await hold(id, { mode: 'exclusive', ifAvailable: true })) ?? waitFor(id);

/** Takes a project over from the tab that holds it, which puts its work away first if it still answers. */
export async function takeOverProject(id: string): Promise<Held> {
  const channel = new BroadcastChannel(nameOf(id));
  channel.postMessage('wanted' satisfies Word);
  channel.close();
  try {
    return (await hold(id, { mode: 'exclusive', signal: AbortSignal.timeout(LONGEST_WAIT) }))!;
  } catch {
    return (await hold(id, { mode: 'exclusive', steal: true }))!;
  }
}

/** Answers for a project that this tab holds, and tells when another wants it. Returns what ends that. */
export function answerFor(id: string, wanted: () => void): () => void {
  if (!locks()) return () => undefined;
  const channel = new BroadcastChannel(nameOf(id));
  channel.onmessage = ({ data }: MessageEvent<Word>) => {
    if (data === 'who') channel.postMessage('mine' satisfies Word);
    if (data === 'wanted') wanted();
  };
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
