/** Numbers that are copied at once: a few milliseconds of the page's thread. */
const AT_ONCE = 1 << 19;

const copies = new WeakMap<Float64Array, Promise<Float64Array>>();

/** Whether workers can be let look into the same memory: where the server sees to it that no other site shares the page's process. */
export const canShare = (): boolean => globalThis.crossOriginIsolated === true;

/**
 * Numbers in memory that all workers look into, in place of a copy for each: copied once, a part at a time, for as long as the
 * numbers themselves are there. Nobody may write into them.
 */
export function sharedNumbers(values: Float64Array): Promise<Float64Array> {
  if (values.buffer instanceof SharedArrayBuffer) return Promise.resolve(values);
  let copy = copies.get(values);
  if (!copy) {
    copy = copied(values);
    copies.set(values, copy);
    // Where there was no room for it, it is tried again when it is asked for again.
    copy.catch(() => copies.delete(values));
  }
  return copy;
}

async function copied(values: Float64Array): Promise<Float64Array> {
  const shared = new Float64Array(new SharedArrayBuffer(values.byteLength));
  for (let at = 0; at < values.length; at += AT_ONCE) {
    if (at > 0) await new Promise((resolve) => setTimeout(resolve));
    shared.set(values.subarray(at, at + AT_ONCE), at);
  }
  return shared;
}
