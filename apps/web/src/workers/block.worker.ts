import { type CompiledStack, compileStack } from '@evlay/core';
import { type BakePlan, bakeBlock } from '@evlay/core/bake';
import { type FittedTracks, type KeysBlock, keysOfBlock } from '@evlay/core/keys';
import type { Samples } from '@evlay/core/take';
import { transfer } from 'comlink';
import type { ProjectOutline } from './outline.js';
import { serve } from './serve.js';
import { takeCache } from './take-cache.js';

const { api: held, projectOf } = takeCache();

/** Stacks that are ready, by the keys of their outlines, the last used at the end: two jobs may be under way at once. */
const stacks = new Map<string, CompiledStack>();
const READY = 3;

const api = {
  ...held,

  keep(samples: readonly string[]): void {
    void held.keep(samples);
    stacks.clear();
  },

  /** Gets ready for the parts of a bake; a stack that is ready stays as it is. */
  compile(outline: ProjectOutline): void {
    const stack = stacks.get(outline.key) ?? compileStack(projectOf(outline), [...stacks.values()].at(-1));
    stacks.delete(outline.key);
    stacks.set(outline.key, stack);
    for (const key of stacks.keys()) if (stacks.size > READY) stacks.delete(key);
  },

  /** Evaluates samples `from` to `to` (not included) of a plan, of the stack with a key that is ready. */
  part(key: string, plan: BakePlan, from: number, to: number): Samples {
    const part = bakeBlock(stacks.get(key)!, plan, from, to);
    const buffers = [part.translations, part.rotations, part.scales].map(({ values }) => values.buffer);
    return transfer(part, buffers as ArrayBuffer[]);
  },

  /** Finds the keys of a block of samples. */
  keys(block: KeysBlock): FittedTracks {
    return keysOfBlock(block);
  },
};

export type BlockApi = typeof api;

serve(api);
