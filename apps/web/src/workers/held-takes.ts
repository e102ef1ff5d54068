import type { Take } from '@evlay/core';
import { type TakeOutline, type TrackKind, takeWithRoom } from './outline.js';

/** The takes that a worker holds, and how the page sends them and lets go of them. */
export interface HeldTakes {
  readonly takes: Map<string, Take>;
  readonly api: TakesApi;
}

export interface TakesApi {
  /** Makes room for samples, which later jobs name by their id. They come after, with `fill`. */
  hold(samples: string, take: TakeOutline): void;
  /** Fills in samples that there is room for. */
  fill(samples: string, kind: TrackKind, at: number, values: Float64Array): void;
  /** Lets go of all samples but those. */
  keep(samples: readonly string[]): void | Promise<void>;
}

export function heldTakes(): HeldTakes {
  const takes = new Map<string, Take>();
  return {
    takes,
    api: {
      hold(samples, take) {
        takes.set(samples, takeWithRoom(take));
      },
      fill(samples, kind, at, values) {
        takes.get(samples)![kind].values.set(values, at);
      },
      keep(samples) {
        for (const id of [...takes.keys()]) if (!samples.includes(id)) takes.delete(id);
      },
    },
  };
}
