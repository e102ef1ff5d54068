import { bake, bakerHere } from '../bake/bake.js';
import { keysSource } from '../bake/keys-source.js';
import { bakeRefusal, planBake } from '../bake/plan.js';
import { wantedKeys } from '../bake/wanted-keys.js';
import { BakeError } from '../bake-error.js';
import type { WriteOptions, WrittenKind } from '../format/kinds/index.js';
import { joinRanges, writeWhole } from '../format/motion-file.js';
import type { JobOptions } from '../job/job.js';
import { findKeys } from '../keys/find-keys.js';
import type { KeyLimits } from '../keys/fit-tracks.js';
import type { MotionKeys } from '../keys/motion-keys.js';
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
  const refused = bakeRefusal(project.rig, plan, kind, Number.POSITIVE_INFINITY);
  if (refused) throw new BakeError(refused);
  const { figure } = characterIn(project.scene);
  const options: WriteOptions = {
    name: project.name,
    first: project.first,
    metresPerUnit: figure ? 1 : project.metresPerUnit,
    ...(figure && { onto: figure.bytes }),
  };
  const { keys: write } = kind.writes;
  if (limits && typeof write !== 'string') {
    const wanted = { ...limits, space: 'quaternion' as const, wanted: wantedKeys(project, plan) };
    const source = keysSource(plan, [bakerHere(project, plan)]);
    const keys = await findKeys(project.rig, source, wanted, job);
    const { before, after, error } = keys;
    const bytes = joinRanges([...write(project.rig, keys, options).ranges()]);
    return { bytes, warnings: [], keys: { before, after, error } };
  }
  const samples = await bake(project, job);
  const times = { ...plan, interval: 1 / plan.rate };
  const { bytes, warnings } = writeWhole(kind.writes.format(project.rig, times, options), samples);
  return { bytes, warnings };
}
