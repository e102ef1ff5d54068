/** A number that changes too often for React: whoever shows it subscribes and writes to the page itself. */
export interface Signal {
  readonly get: () => number;
  readonly set: (value: number) => void;
  /** Calls back after every change; returns what ends that. */
  readonly subscribe: (listener: () => void) => () => void;
}

export function newSignal(start: number): Signal {
  let value = start;
  const listeners = new Set<() => void>();
  return {
    get: () => value,
    set(next) {
      if (next === value) return;
      value = next;
      for (const listener of listeners) listener();
    },
    subscribe(listener) {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
  };
}
