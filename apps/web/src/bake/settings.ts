import type { Project } from '@evlay/core';
import { type BakeFormat, bakeRefusal, planBake } from '@evlay/core/bake';
import type { KeyLimits } from '@evlay/core/keys';

/** What is to be baked and how, as it is chosen on the screen. */
export interface BakeSettings {
  /** The stack as it is shown, or each of its variants. */
  readonly what: 'stack' | 'variants';
  readonly range: readonly [number, number];
  readonly rate: number;
  readonly format: BakeFormat;
  readonly props: boolean;
  /** Whether a GLB gets few keys, no further off than `limits`, in place of every sample. */
  readonly few: boolean;
  readonly limits: KeyLimits;
}

/** Why it cannot be baked, in words; undefined where it can. */
export function settingsRefusal(
  project: Project,
  { what, range, rate, format }: BakeSettings,
): string | undefined {
  if (what === 'variants') {
    const refused = project.variants.map((variant) =>
      bakeRefusal(
        project.rig,
        planBake(project, { range: variant.range ?? project.range, fps: rate }),
        format,
      ),
    );
    return refused.find((one) => one !== undefined);
  }
  if (range[1] < range[0]) return `the last frame, ${range[1]}, lies before the first, ${range[0]}`;
  return bakeRefusal(project.rig, planBake(project, { range, fps: rate }), format);
}

export const samplesText = (count: number): string =>
  `${count.toLocaleString('en-GB')} ${count === 1 ? 'sample' : 'samples'}`;

export const bytesText = (bytes: number): string =>
  bytes < 1e6 ? `${Math.max(1, Math.round(bytes / 1000))} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
