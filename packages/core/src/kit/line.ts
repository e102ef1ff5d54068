import type { MotionEvent } from './events.js';

/** An event of a kit and the one of a take that it belongs to. */
export interface EventPair {
  readonly name: string;
  /** Its frame in the kit, counted at the rate of the project. */
  readonly kit: number;
  /** Its frame on the take. */
  readonly take: number;
}

/** How the frames of a kit come to those of a take: pairs that rise on both sides, from `start` to `end`. */
export interface EventLine {
  readonly pairs: readonly EventPair[];
  /** Events of the kit that come to none of the take. */
  readonly lonely: readonly MotionEvent[];
}

/** Events and the range that they lie in, in frames of the project. */
export interface Timed {
  readonly range: readonly [number, number];
  readonly events: readonly MotionEvent[];
}

/** Whole numbers by which counts of events may be shifted against one another, those that are preferred first. */
const SHIFTS = [0, 1, -1, 2, -2] as const;
/** Seconds between two pairs on a take at least. */
const NEAREST = 1 / 30;

/** A pair that may be kept, with the square of how far it lies from the straight line through both ends, in frames. */
interface Candidate extends EventPair {
  readonly square: number;
}

/**
 * Finds which events of a kit and of a take belong together. `start` belongs to `start` and `end` to `end`. The events of a
 * limb are counted on both sides, and so are apexes and marks of one name: the shift of the counts from -2 to 2 is taken by which
 * they lie nearest to the straight line through both ends. Of these pairs the most are kept that rise on both sides; of equally
 * many those that lie nearest to that line. `fps` is the rate of both.
 */
export function eventLine(kit: Timed, take: Timed, fps: number): EventLine {
  const [[a, b], [first, last]] = [kit.range, take.range];
  const start: Candidate = { name: 'start', kit: a, take: first, square: 0 };
  const end: Candidate = { name: 'end', kit: b, take: last, square: 0 };
  const straight = (frame: number) => first + ((frame - a) * (last - first)) / (b - a);
  const rises = (one: EventPair, next: EventPair) =>
    next.kit > one.kit && next.take - one.take >= NEAREST * fps - 1e-9;
  const candidates = b > a && rises(start, end) ? candidatesOf(kit.events, take.events, straight) : [];
  const pairs = b > a && rises(start, end) ? longest(start, candidates, end, rises) : [start];
  const { to } = movedBy({ pairs });
  // One that is too near to another to be kept meets all the same where it comes to its own.
  const met = new Set(
    candidates.flatMap(({ name, kit: frame, take: other }) =>
      Math.abs(to(frame) - other) <= NEAREST * fps ? [`${frame} ${name}`] : [],
    ),
  );
  return {
    pairs: pairs.map(({ square: _, ...pair }) => pair),
    lonely: kit.events.filter(({ name, frame }) => !isEnd(name) && !met.has(`${frame} ${name}`)),
  };
}

const isEnd = (name: string): boolean => name === 'start' || name === 'end';

/** The name of what events are counted with: those of a limb together, others by their name. */
const familyOf = (name: string): string => name.replace(/ (down|up)$/, '');

/** Frames of events by family and name. */
function byFamily(events: readonly MotionEvent[]): Map<string, Map<string, number[]>> {
  const families = new Map<string, Map<string, number[]>>();
  for (const { name, frame } of events) {
    if (isEnd(name)) continue;
    const family = families.get(familyOf(name)) ?? new Map<string, number[]>();
    families.set(familyOf(name), family);
    family.set(name, [...(family.get(name) ?? []), frame]);
  }
  return families;
}

/** The pairs of each family by the shift that brings them nearest to the straight line, in the order of the kit. */
function candidatesOf(
  kit: readonly MotionEvent[],
  take: readonly MotionEvent[],
  straight: (frame: number) => number,
): Candidate[] {
  const [ours, theirs] = [byFamily(kit), byFamily(take)];
  const found = [...ours].flatMap(([family, names]) => {
    let best: { readonly mean: number; readonly pairs: Candidate[] } | undefined;
    for (const shift of SHIFTS) {
      const pairs = [...names].flatMap(([name, frames]) => {
        const others = theirs.get(family)?.get(name) ?? [];
        return frames.flatMap((frame, k): Candidate[] => {
          const other = others[k + shift];
          if (other === undefined) return [];
          return [{ name, kit: frame, take: other, square: (other - straight(frame)) ** 2 }];
        });
      });
      const mean = pairs.reduce((sum, { square }) => sum + square, 0) / pairs.length;
      if (pairs.length > 0 && (!best || mean < best.mean)) best = { mean, pairs };
    }
    return best?.pairs ?? [];
  });
  return found.sort((a, b) => a.kit - b.kit || a.take - b.take);
}

/** The longest run of candidates from `start` to `end` that rise one after the other, of equals the one with the least squares. */
function longest(
  start: Candidate,
  candidates: readonly Candidate[],
  end: Candidate,
  rises: (one: EventPair, next: EventPair) => boolean,
): Candidate[] {
  const all = [start, ...candidates, end];
  const count = all.map(() => 0);
  const sum = all.map(() => 0);
  const before = all.map(() => -1);
  for (let k = 1; k < all.length; k++) {
    for (let j = 0; j < k; j++) {
      if ((j > 0 && before[j] < 0) || !rises(all[j], all[k])) continue;
      const squares = sum[j] + all[k].square;
      const longer = count[j] + 1 > count[k];
      if (!longer && !(count[j] + 1 === count[k] && squares < sum[k])) continue;
      count[k] = count[j] + 1;
      sum[k] = squares;
      before[k] = j;
    }
  }
  const run: Candidate[] = [];
  for (let k = all.length - 1; k >= 0; k = before[k]) run.unshift(all[k]);
  return run;
}

/** How frames come to others, and how many times as long what lies on one side of a frame becomes. */
export interface FrameMove {
  readonly to: (frame: number) => number;
  readonly scale: (frame: number, side: -1 | 1) => number;
}

/** All frames by as many. */
export const shiftedBy = (frames: number): FrameMove => ({ to: (frame) => frame + frames, scale: () => 1 });

/** Everything between two frames stretched to two others, and what is outside alike; shifted where the first two are one. */
export function stretchedTo(
  [a, b]: readonly [number, number],
  [first, last]: readonly [number, number],
): FrameMove {
  if (b === a || last - first === b - a) return shiftedBy(first - a);
  const scale = (last - first) / (b - a);
  return { to: (frame) => first + ((frame - a) * (last - first)) / (b - a), scale: () => scale };
}

/** Between pairs linearly, outside by the same amount as the nearest one. Where two pairs are as far apart on both sides, nothing is rounded. */
export function movedBy({ pairs }: Pick<EventLine, 'pairs'>): FrameMove {
  const pieceAt = (frame: number, side: -1 | 1): number => {
    const next = pairs.findIndex(({ kit }) => (side > 0 ? kit > frame : kit >= frame));
    return next < 0 ? pairs.length : next;
  };
  const off = ({ kit, take }: EventPair) => take - kit;
  return {
    to(frame) {
      const next = pieceAt(frame, 1);
      const [one, other] = [pairs[next - 1], pairs[next]];
      if (!one || !other || off(one) === off(other) || frame === one.kit) return frame + off(one ?? other);
      return one.take + ((frame - one.kit) * (other.take - one.take)) / (other.kit - one.kit);
    },
    scale(frame, side) {
      const next = pieceAt(frame, side);
      const [one, other] = [pairs[next - 1], pairs[next]];
      if (!one || !other || off(one) === off(other)) return 1;
      return (other.take - one.take) / (other.kit - one.kit);
    },
  };
}
