import { type Applied, applyKit, countFound, type FoundCount, stripOf } from '@evlay/core/apply';
import { FINDING_LIMITS, findingSteps } from '@evlay/core/check';
import { readKit } from '@evlay/core/format';
import { inSlices } from '@evlay/core/job';
import type { ProjectOutline } from './outline.js';
import { serve } from './serve.js';
import { takeCache } from './take-cache.js';

const { api: held, projectOf } = takeCache();

/** Poses of a strip: enough to be played. */
const POSES = 24;

const api = {
  ...held,

  /** What comes of a kit on a project: findings before and after, and its poses. */
  async apply(
    outline: ProjectOutline,
    kit: { readonly file: string; readonly bytes: Uint8Array },
    onProgress: (done: number) => void,
  ): Promise<Applied> {
    const read = await readKit(kit.file, kit.bytes);
    return (await inSlices(applyKit(projectOf(outline), read), { onProgress })).applied;
  },

  /** What is found in a project now, and its poses. */
  async look(outline: ProjectOutline): Promise<{ found: FoundCount[]; strip: Applied['strip'] }> {
    const project = projectOf(outline);
    const found = await inSlices(findingSteps(project, project.limits ?? FINDING_LIMITS), {});
    return { found: countFound(found), strip: stripOf(project, POSES) };
  },
};

export type ApplyApi = typeof api;

serve(api);
