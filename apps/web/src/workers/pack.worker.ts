import type { Project } from '@evlay/core';
import { type AttachedReference, projectSteps } from '@evlay/core/format';
import { inSlices } from '@evlay/core/job';
import { transfer } from 'comlink';
import { serve } from './serve.js';

const api = {
  /** Writes a project file. Of takes it needs the files that they came in, and no samples. */
  async pack(
    project: Project,
    references: readonly AttachedReference[],
    onProgress: (done: number) => void,
  ): Promise<Uint8Array<ArrayBuffer>> {
    const bytes = await inSlices(projectSteps(project, references), { onProgress });
    return transfer(bytes, [bytes.buffer]);
  },
};

export type PackApi = typeof api;

serve(api);
