/**
 * Frames from `from` on, up to where the next stretch begins, come to `to + (frame - from) · scale`. With a scale of 0 they
 * are taken out: what stands on them goes, and what only reaches into them ends at `to`.
 */
export interface TimeStretch {
  readonly from: number;
  readonly to: number;
  readonly scale: number;
}

/** Where the frames of a project come to: stretches in order of their frames, never backwards. The first stretch has no beginning. */
export interface TimeMap {
  readonly stretches: readonly TimeStretch[];
  /** By how much there are more frames a second, where frames are counted anew; moments then stay where they are. */
  readonly rate?: number;
  /** Whether all of it comes to whole frames. */
  readonly whole?: boolean;
}

const STAYS: TimeStretch = { from: 0, to: 0, scale: 1 };

/** `count` frames more before a frame. */
export const framesInserted = (frame: number, count: number): TimeMap => ({
  stretches: [STAYS, { from: frame, to: frame + count, scale: 1 }],
});

/** `count` frames fewer from a frame on. */
export const framesRemoved = (frame: number, count: number): TimeMap => ({
  stretches: [STAYS, { from: frame, to: frame, scale: 0 }, { from: frame + count, to: frame, scale: 1 }],
});

/** A stretch of frames takes `factor` times as long, from where it begins; what is behind it follows. */
export const stretched = ([from, to]: readonly [number, number], factor: number): TimeMap => ({
  stretches: [
    STAYS,
    { from, to: from, scale: factor },
    { from: to, to: from + (to - from) * factor, scale: 1 },
  ],
});

/** Everything so many frames later. */
export const shifted = (frames: number): TimeMap => ({ stretches: [{ from: 0, to: frames, scale: 1 }] });

/** Everything takes `factor` times as long, from a frame that stays. */
export const scaled = (frame: number, factor: number): TimeMap => ({
  stretches: [{ from: frame, to: frame, scale: factor }],
});

/** The same moments, counted in other frames a second. */
export const counted = (fps: number, before: number): TimeMap => ({
  stretches: [{ from: 0, to: 0, scale: fps / before }],
  rate: fps / before,
});

/** The stretch that a frame is in. */
export function pieceAt({ stretches }: TimeMap, frame: number): TimeStretch {
  let k = stretches.length - 1;
  while (k > 0 && stretches[k].from > frame) k--;
  return stretches[k];
}

/** Where a frame comes to by a stretch, also outside of it. */
export const byStretch = ({ from, to, scale }: TimeStretch, frame: number): number =>
  to + (frame - from) * scale;

/** Where a frame comes to. */
export function frameBy(map: TimeMap, frame: number): number {
  const to = byStretch(pieceAt(map, frame), frame);
  return map.whole ? Math.round(to) : to;
}

/** Whether a frame is taken out. */
export const isTakenOut = (map: TimeMap, frame: number): boolean => pieceAt(map, frame).scale === 0;

/** The stretch that some frames are in, all but `slack` frames at their ends; undefined where they are in several. */
export function stretchOver(map: TimeMap, from: number, to: number, slack: number): TimeStretch | undefined {
  const inset = Math.min(slack, (to - from) / 2);
  const first = pieceAt(map, from + inset);
  const last = map.stretches.findLast((stretch, k) => k === 0 || stretch.from < to - inset) ?? first;
  return first === last || to - from <= 0 ? first : undefined;
}
