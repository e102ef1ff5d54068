/** Samples at which a hand of a take was moved so that it keeps its distance to the body, both included. */
export interface HandMoved {
  readonly joint: string;
  readonly from: number;
  readonly to: number;
  /** The most by which it was moved, in units of the rig. */
  readonly most: number;
}

/** The same moments in samples of a motion that was resampled; `interval` is that of the samples before. */
export function handsAt(
  moved: readonly HandMoved[],
  interval: number,
  to: { readonly interval: number; readonly count: number },
): HandMoved[] {
  const ratio = interval / to.interval;
  return moved.flatMap((span) => {
    const from = Math.ceil(ratio * span.from - 1e-6);
    const last = Math.min(to.count - 1, Math.floor(ratio * span.to + 1e-6));
    return from <= last ? [{ ...span, from, to: last }] : [];
  });
}
