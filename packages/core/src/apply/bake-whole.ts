import { BakeError, bake } from '../bake/bake.js';
import { bakeRefusal, memoryRefusal, planBake } from '../bake/plan.js';

import { wantedKeys } from '../bake/wanted-keys.js';
import type { WriteOptions, WrittenKind } from '../format/kinds/index.js';
import { writeWhole } from '../format/motion-file.js';
import type { JobOptions } from '../job/job.js';
import type { KeyLimits } from '../keys/fit-tracks.js';
import { keysFromSamples, type MotionKeys } from '../keys/keys-from-samples.js';
import type { Project } from '../layer/project.js';
import { characterIn } from '../layer/scene.js';

/** A bake as a file in memory. */
export interface WholeBake {
  readonly bytes: Uint8Array<ArrayBuffer>;
  readonly warnings: readonly string[];
  /** Keys before and after, and the largest error, where few were asked for. */
  readonly keys?: Pick<MotionKeys, 'before' | 'after' | 'error'>;
}

/** Bakes the range of a project to a file of a kind, every frame or few keys within limits, in this thread. Throws {@link BakeError}. */
export async function bakeWhole(
  project: Project,
  kind: WrittenKind,
  limits: KeyLimits | undefined,
  job: JobOptions = {},
): Promise<WholeBake> {
  const plan = planBake(project, {});
  const refused =
    bakeRefusal(project.rig, plan, kind, Number.POSITIVE_INFINITY) ??
    (limits && memoryRefusal(project.rig, plan));
  if (refused) throw new BakeError(refused);
  const { figure } = characterIn(project.scene);
  const options: WriteOptions = {
    name: project.name,
    first: project.first,
    metresPerUnit: figure ? 1 : project.metresPerUnit,
    ...(figure && { onto: figure.bytes }),
  };
  const samples = await bake(project, job);
  const { keys: write } = kind.writes;
  if (limits && typeof write !== 'string') {
    const wanted = { ...limits, space: 'quaternion' as const, wanted: wantedKeys(project, plan) };
    const keys = await keysFromSamples(project.rig, samples, wanted, job);
    const { before, after, error } = keys;
    return { bytes: write(project.rig, keys, options), warnings: [], keys: { before, after, error } };
  }
  const times = { ...plan, interval: 1 / plan.rate };
  const { bytes, warnings } = writeWhole(kind.writes.format(project.rig, times, options), samples);
  return { bytes, warnings };
}
