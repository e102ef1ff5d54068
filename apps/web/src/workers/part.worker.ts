import { type CompiledStack, compileStack, type Take } from '@evlay/core';
import { type BakePlan, bakePart } from '@evlay/core/bake';
import { type FittedTracks, type KeysBlock, keysOfBlock } from '@evlay/core/keys';
import type { Samples } from '@evlay/core/take';
import { expose, transfer } from 'comlink';
import { type ProjectOutline, withTakes } from './outline.js';

const takes = new Map<string, Take>();
let stack: CompiledStack | undefined;

const api = {
  /** Keeps the samples of a take for later jobs, which name them by their id. */
  hold(samples: string, take: Take): void {
    takes.set(samples, take);
  },

  /** Lets go of all samples but those. */
  keep(samples: readonly string[]): void {
    for (const id of [...takes.keys()]) if (!samples.includes(id)) takes.delete(id);
    stack = undefined;
  },

  /** Gets ready for the parts of a bake. */
  compile(outline: ProjectOutline): void {
    stack = compileStack(withTakes(outline, takes), stack);
  },

  /** Evaluates samples `from` to `to` (not included) of a plan. */
  part(plan: BakePlan, from: number, to: number): Samples {
    const part = bakePart(stack!, plan, from, to);
    const buffers = [part.translations, part.rotations, part.scales].map(({ values }) => values.buffer);
    return transfer(part, buffers as ArrayBuffer[]);
  },

  /** Finds the keys of a block of samples. */
  keys(block: KeysBlock): FittedTracks {
    return keysOfBlock(block);
  },
};

export type PartApi = typeof api;

expose(api);
