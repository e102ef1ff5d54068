import type { Project, Take } from '@evlay/core';
import {
  type ProjectOutline,
  type TakeOutline,
  type TrackKind,
  takeWithRoom,
  takeWithValues,
  withTakes,
} from './outline.js';

/** The numbers of each track of a take, which nobody writes into. */
export type SharedSamples = Readonly<Record<TrackKind, Float64Array>>;

export interface TakesApi {
  /** Makes room for samples, which later jobs name by their id. They come after, with `fill`. */
  hold(samples: string, take: TakeOutline): void;
  /** Takes over samples that others look into too. */
  holdShared(samples: string, take: TakeOutline, values: SharedSamples): void;
  /** Fills in samples that there is room for. */
  fill(samples: string, kind: TrackKind, at: number, values: Float64Array): void;
  /** Lets go of all samples but those. */
  keep(samples: readonly string[]): void | Promise<void>;
}

/** The takes that a worker holds, how the page sends them and lets go of them, and the projects that name them. */
export interface TakeCache {
  readonly takes: ReadonlyMap<string, Take>;
  readonly api: TakesApi;
  /** The project of an outline; the same object as long as it is asked for again. */
  readonly projectOf: (outline: ProjectOutline) => Project;
}

/** Projects that a worker remembers: two that are compared, and one that is worked on. */
const REMEMBERED = 3;

export function takeCache(): TakeCache {
  const takes = new Map<string, Take>();
  const projects = new Map<string, Project>();
  return {
    takes,
    projectOf(outline) {
      const known = projects.get(outline.key);
      const project = known ?? withTakes(outline, takes);
      projects.delete(outline.key);
      projects.set(outline.key, project);
      for (const key of projects.keys()) if (projects.size > REMEMBERED) projects.delete(key);
      return project;
    },
    api: {
      hold(samples, take) {
        takes.set(samples, takeWithRoom(take));
      },
      holdShared(samples, take, values) {
        takes.set(samples, takeWithValues(take, values));
      },
      fill(samples, kind, at, values) {
        takes.get(samples)![kind].values.set(values, at);
      },
      keep(samples) {
        for (const id of [...takes.keys()]) if (!samples.includes(id)) takes.delete(id);
        projects.clear();
      },
    },
  };
}
