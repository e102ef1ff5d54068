import { BakeCancelled, type BakeOptions, bake, type Project, type Take, writeBvh } from '@evlay/core';
import { expose } from 'comlink';

/** A project without its takes, which the worker holds already. */
export type ProjectOutline = Omit<Project, 'takes' | 'character'> & { readonly takes: readonly string[] };

export interface Baked {
  readonly text: Uint8Array;
  readonly frames: number;
  readonly warnings: readonly string[];
}

const takes = new Map<string, Take>();
let signal = { aborted: false };

const api = {
  /** Keeps a take for later jobs, which name it by its id. */
  hold(take: Take): void {
    takes.set(take.id, take);
  },

  /** Bakes a range to BVH. Undefined when it was cancelled. */
  async bake(
    outline: ProjectOutline,
    options: Pick<BakeOptions, 'range' | 'fps'>,
    onProgress: (done: number) => void,
  ): Promise<Baked | undefined> {
    const mine = { aborted: false };
    signal = mine;
    const project: Project = { ...outline, takes: outline.takes.map((id) => takes.get(id)!) };
    try {
      const samples = await bake(project, { ...options, signal: mine, onProgress });
      const { pieces, warnings } = writeBvh(project.rig, samples);
      return { text: new TextEncoder().encode(pieces.join('')), frames: samples.count, warnings };
    } catch (error) {
      if (error instanceof BakeCancelled) return undefined;
      throw error;
    }
  },

  cancel(): void {
    signal.aborted = true;
  },
};

export type BakeApi = typeof api;

expose(api);
