import type { KeyPick, Project } from '@evlay/core';
import { framesOfPicked } from '@evlay/core/edit';

interface Ends {
  readonly picks: readonly KeyPick[];
  readonly frames: readonly [number, number] | undefined;
}

const known = new WeakMap<Project, Ends>();

/** First and last frame of the project on which picked keys stand; looked for once in each state of the project. */
export function pickedEnds(project: Project, picks: readonly KeyPick[]): Ends['frames'] {
  let ends = known.get(project);
  if (ends?.picks !== picks) {
    ends = { picks, frames: framesOfPicked(project, picks) };
    known.set(project, ends);
  }
  return ends.frames;
}
