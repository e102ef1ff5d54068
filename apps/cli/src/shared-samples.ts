import type { Project } from '@evlay/core';
import { TRACK_KINDS } from '@evlay/core/keys';
import type { Track } from '@evlay/core/take';

/**
 * A project whose takes are to be baked on several threads: their samples lie in memory that all threads look into, so that a
 * long take is not copied for each, and the files that they came in are let go of. Nobody writes into samples.
 */
export function withSharedSamples(project: Project): Project {
  const known = new Map<Float64Array, Float64Array>();
  const sharedOf = (track: Track): Track => {
    if (track.values.buffer instanceof SharedArrayBuffer) return track;
    let values = known.get(track.values);
    if (!values) {
      values = new Float64Array(new SharedArrayBuffer(track.values.byteLength));
      values.set(track.values);
      known.set(track.values, values);
    }
    return { ...track, values };
  };
  return {
    ...project,
    takes: project.takes.map((take) => ({
      ...take,
      source: { ...take.source, bytes: new Uint8Array() },
      ...Object.fromEntries(TRACK_KINDS.map((kind) => [kind, sharedOf(take[kind])])),
    })),
  };
}
