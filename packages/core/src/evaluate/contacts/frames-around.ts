import type { ContactCache } from './contact-cache.js';
import { spanCounts } from './contact-step.js';
import { stepAt, stepsOf } from './span-steps.js';

/**
 * The frames that are not known yet at which limbs have to be seen before a frame is corrected: those of each span that
 * counts from its middle to there, and those over which the roots come down.
 */
export function framesAround({ step, sights, corrections }: ContactCache, frame: number): number[] {
  const { limbs, lowered, ease } = step;
  const wanted = new Set<number>();
  const want = (at: number) => {
    if (!sights.has(at)) wanted.add(at);
  };
  const reach = lowered.length > 0 ? ease + 1 : 0;
  for (const [l, held] of limbs.entries())
    for (const [k, [from, to]] of held.spans.entries()) {
      const fades = held.fades[k];
      if (from - fades[0] > frame + reach || to + fades[1] < frame - reach) continue;
      const count = stepsOf(held, k);
      const middle = (to - from) / 2;
      const [first, last] = corrections[l][k]?.known ?? [stepAt(count, middle), stepAt(count, middle)];
      let [low, high] = [first, Math.min(count - 1, Math.max(last, stepAt(count, middle) + 1))];
      let counts = false;
      const upTo = (moment: number) => {
        if (spanCounts(held, k, moment) === 0) return;
        counts = true;
        const at = Math.min(to, Math.max(from, moment)) - from;
        const i = stepAt(count, at);
        low = Math.min(low, i);
        high = Math.max(high, at > i ? i + 1 : i);
        if (moment !== frame) want(moment);
      };
      upTo(frame);
      for (let m = Math.floor(frame - reach) + 1; m < frame + reach; m++) upTo(m);
      if (!counts) continue;
      for (let i = low; i <= high; i++) want(i + 1 < count ? from + i : to);
      if (middle > stepAt(count, middle)) want(from + middle);
    }
  return [...wanted];
}
