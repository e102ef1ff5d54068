/** Even times that hold the keys of an animation. */
export interface EvenTimes {
  /** Seconds from one sample to the next. */
  readonly interval: number;
  /** How many samples there are, the first at time 0. */
  readonly count: number;
}

/** How far the times of a sloppy writer may lie from even ones, as a part of the interval. */
export const SLOPPY = 0.02;
/** Keys that stand closer than this are not read as samples, in seconds. */
const SHORTEST = 1e-3;

/** By how much a time may be off that is kept in 32 bits (IEEE 754: half a unit of 24 bits), four times over. */
export const slack = (time: number): number => time * 2 ** -22 + 1e-9;

/**
 * The even times on which all of some times lie, from 0 on; undefined where they stand unevenly. `times` ascend.
 * Where 32 bits cannot tell an interval from that of a whole number of samples a second, it is that.
 */
export function evenTimes(times: readonly number[]): EvenTimes | undefined {
  const last = times[times.length - 1];
  if (!(last > 0)) return { interval: 1 / 60, count: 1 };
  const plain = sampleTimes(times, last);
  if (plain) return plain;
  const step = commonStep(times);
  for (const interval of step ? [1 / Math.round(1 / step), step] : []) {
    if (times.every((time) => offStep(time, interval) <= slack(time)))
      return { interval, count: Math.round(last / interval) + 1 };
  }
  return sloppyTimes(times, last);
}

/** The times of samples that follow one another from 0 on, at whatever rate. */
function sampleTimes(times: readonly number[], last: number): EvenTimes | undefined {
  const count = times.length;
  if (times[0] !== 0) return undefined;
  const own = last / (count - 1);
  for (const interval of [1 / Math.round(1 / own), own])
    if (times.every((time, k) => Math.abs(time - k * interval) <= slack(time))) return { interval, count };
  return undefined;
}

const offStep = (time: number, interval: number): number =>
  Math.abs(time - Math.round(time / interval) * interval);

/** The largest interval of which all times are multiples, as far as 32 bits can tell: Euclid's algorithm. */
function commonStep(times: readonly number[]): number | undefined {
  let step = 0;
  for (const time of times) {
    if (time <= 0) continue;
    let rest = step === 0 ? 0 : offStep(time, step);
    if (step === 0) step = time;
    while (rest > slack(time)) {
      if (rest < SHORTEST) return undefined;
      [step, rest] = [rest, offStep(step, rest)];
    }
    // A later time tells the interval more exactly.
    step = time / Math.round(time / step);
  }
  return step >= SHORTEST ? step : undefined;
}

/** The interval that divides the whole, where all times lie near enough to it. */
function sloppyTimes(times: readonly number[], last: number): EvenTimes | undefined {
  const least = times.reduce(
    (best, time, i) => Math.min(best, time - (i > 0 ? times[i - 1] : 0) || best),
    last,
  );
  if (least < SHORTEST) return undefined;
  const steps = Math.round(last / least);
  const interval = last / steps;
  return times.every((time) => offStep(time, interval) < SLOPPY * interval)
    ? { interval, count: steps + 1 }
    : undefined;
}
