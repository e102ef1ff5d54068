import type { Finding } from '@evlay/core/check';
import type { Job } from '@evlay/core/job';
import type { RefusedFile } from '../../ui/dropped.js';
import type { Filming } from './film.js';

/** What is worked on beside the page, and what came of it. */
export interface Jobs {
  /** Long work on the stack that is under way, and the bake that is. */
  readonly working: Job<unknown> | undefined;
  readonly baking: Job<unknown> | undefined;
  /** The film that is under way. */
  readonly filming: Filming | undefined;
  /** What was found in the motion, the gravest first; undefined until it was looked for. */
  readonly findings: readonly Finding[] | undefined;
  /** Which part of the motion they are of so far, from 0 to 1. */
  readonly looked: number;
  /** Why they could not be looked for, in words. */
  readonly unfound: string | undefined;
  /** Why the samples of a take could not be made, by the steps that ask for them. */
  readonly unmade: ReadonlyMap<string, string>;
  /** Of many files that were brought in at once those that were not, with the reasons. */
  readonly refusedFiles: readonly RefusedFile[];
  /** Whether the project can only be looked at, since another tab has it open. */
  readonly looking: boolean;
  /** Whether frames have become so slow that less is drawn. */
  readonly slow: boolean;
}

export const newJobs = (looking: boolean): Jobs => ({
  working: undefined,
  baking: undefined,
  filming: undefined,
  findings: undefined,
  looked: 1,
  unfound: undefined,
  unmade: new Map(),
  refusedFiles: [],
  looking,
  slow: false,
});
