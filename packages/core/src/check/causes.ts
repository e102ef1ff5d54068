import { compileStack } from '../evaluate/compile.js';
import type { CompiledStack } from '../evaluate/compiled.js';
import { alphaAt } from '../evaluate/evaluate.js';
import { newGround } from '../evaluate/ground.js';
import type { Project } from '../layer/project.js';
import { compiledLimbs } from '../rig/compiled-limbs.js';
import { isWithin } from '../rig/rig.js';
import type { Cause, Finding } from './finding.js';
import { probesOf } from './findings.js';
import { leanFor } from './lean.js';
import type { Probe } from './probe.js';
import { seeMotion } from './seen.js';

/** Layers up to which shares are worked out exactly; of more, orders are drawn. */
const EXACT = 8;
/** Pairs of an order and its reverse that are drawn, at most and at least, and frames that are seen for them. */
const PAIRS = 12;
const FEWEST_PAIRS = 5;
const FRAMES = 14_000;

/** Where a finding comes from, and how exact that is: the standard error of the largest amount, 0 where it is exact. */
export interface Causes {
  readonly causes: readonly Cause[];
  readonly error: number;
}

/**
 * The layers that a finding comes from, the largest amount first: what each adds to it, averaged over all orders in which
 * the layers could have been put on (Shapley, A Value for n-Person Games, 1953). The amounts sum to that of the finding;
 * layers that do the same get the same, and one that does nothing gets 0 and is left out. What is there without any of
 * them comes from the base. A finding of a layer as a whole comes from that layer.
 */
export function causesOf(project: Project, finding: Finding): Causes {
  if (finding.layer !== undefined)
    return { causes: [{ layer: finding.layer, amount: finding.amount }], error: 0 };
  const stack = compileStack(project);
  const probe = probesOf(project, stack).find((one) => isOf(project, one, finding));
  if (!probe) return { causes: [], error: 0 };
  const frames = framesFor(probe, finding);
  const players = playersOf(stack, probe, frames);
  const limbs = compiledLimbs(project.rig, project.limbs);
  const looks = [...new Set(probe.looks)];
  const lean = compileStack(leanFor(project, looks));
  const known = new Map<bigint, number>();
  const amountOf = (set: bigint): number => {
    let amount = known.get(set);
    if (amount === undefined) {
      const live = lean.live.map((on, index) => {
        const player = players.indexOf(index);
        return on && (player < 0 || (set & (1n << BigInt(player))) !== 0n);
      });
      const grounds = lean.grounds.map((ground) => ground && newGround(ground.step, ground.rig, ground.fps));
      const seen = seeMotion({ ...lean, live, grounds }, limbs, frames, looks);
      const at = frames.indexOf(finding.frame);
      amount =
        probe.around === undefined
          ? mostOf(frames.length, (f) => probe.at(seen, f))
          : probe.at(seen, Math.max(0, at));
      known.set(set, amount);
    }
    return amount;
  };
  const { values, error } =
    players.length <= EXACT
      ? { values: shapley(players.length, amountOf), error: 0 }
      : drawn(players.length, pairsFor(players.length, frames.length), amountOf);
  const base = project.layers[0].id;
  const causes = [
    { layer: base, amount: amountOf(0n) },
    ...players.map((index, k) => ({ layer: project.layers[index].id, amount: values[k] })),
  ];
  const least = 1e-9 * Math.max(1, Math.abs(finding.amount));
  return {
    causes: causes
      .filter(({ amount }) => Math.abs(amount) > least)
      .sort((a, b) => Math.abs(b.amount) - Math.abs(a.amount)),
    error,
  };
}

const isOf = ({ rig }: Project, probe: Probe, { kind, joint, other, more, from }: Finding): boolean =>
  probe.kind === kind &&
  probe.more === more &&
  rig.joints[probe.joint].name === joint &&
  (probe.other === undefined ? undefined : rig.joints[probe.other].name) === other &&
  (probe.span === undefined || (from >= probe.span[0] - 1e-6 && from <= probe.span[1] + 1e-6));

/** The frames that have to be seen to measure a finding: the one where it is worst and those around it, or its span. */
function framesFor({ around, span }: Probe, { frame, from, to }: Finding): Float64Array {
  if (around === 0) return Float64Array.of(frame);
  if (around !== undefined)
    return Float64Array.from({ length: 2 * around + 1 }, (_, k) => frame - around + k);
  const [first, last] = span ?? [from, to];
  // As they are seen when findings are looked for: whole frames of the range within the span.
  const frames: number[] = [];
  for (let at = Math.ceil(first - 1e-6); at <= last + 1e-6; at++) frames.push(at);
  return Float64Array.from(frames);
}

const mostOf = (count: number, at: (f: number) => number): number => {
  let most = 0;
  for (let f = 0; f < count; f++) most = Math.max(most, at(f));
  return most;
};

/** Layers above the base that can have to do with it: that count there for what is looked at or for what it hangs on. */
function playersOf(stack: CompiledStack, { looks }: Probe, frames: Float64Array): number[] {
  const { rig } = stack;
  return stack.layers.flatMap(({ touched, corrects }, index) => {
    if (index === 0 || !stack.live[index]) return [];
    const concerned = [...touched].filter(
      (j) => corrects || rig.joints[j].parent < 0 || looks.some((look) => isWithin(rig, look, j)),
    );
    const counts = concerned.some((j) => frames.some((frame) => alphaAt(stack, index, j, frame) > 0));
    return counts ? [index] : [];
  });
}

/** The Shapley values of so many players; sets are bits. */
function shapley(count: number, worth: (set: bigint) => number): number[] {
  const factorial = [1];
  for (let k = 1; k <= count; k++) factorial.push(factorial[k - 1] * k);
  return Array.from({ length: count }, (_, player) => {
    let value = 0;
    const own = 1n << BigInt(player);
    for (let set = 0n; set < 1n << BigInt(count); set++) {
      if (set & own) continue;
      let size = 0;
      for (let bits = set; bits > 0n; bits &= bits - 1n) size++;
      const share = (factorial[size] * factorial[count - size - 1]) / factorial[count];
      value += share * (worth(set | own) - worth(set));
    }
    return value;
  });
}

/** How many pairs of orders are drawn of so many players, for a finding that is seen at so many frames. */
const pairsFor = (players: number, frames: number): number =>
  Math.min(PAIRS, Math.max(FEWEST_PAIRS, Math.floor(FRAMES / (2 * players * frames))));

/** The same of more players, from orders that are drawn; a fixed seed, so that it says the same each time. */
function drawn(
  count: number,
  pairs: number,
  worth: (set: bigint) => number,
): { values: number[]; error: number } {
  const sums = new Float64Array(count);
  const squares = new Float64Array(count);
  let state = 1;
  const next = () => {
    // Park and Miller, Random Number Generators: Good Ones Are Hard to Find, 1988.
    state = (state * 48271) % 2147483647;
    return state / 2147483647;
  };
  for (let pair = 0; pair < pairs; pair++) {
    const order = Array.from({ length: count }, (_, k) => k);
    for (let k = count - 1; k > 0; k--) {
      const other = Math.floor(next() * (k + 1));
      [order[k], order[other]] = [order[other], order[k]];
    }
    const gains = new Float64Array(count);
    for (const one of [order, order.toReversed()]) {
      let set = 0n;
      let before = worth(set);
      for (const player of one) {
        set |= 1n << BigInt(player);
        const after = worth(set);
        gains[player] += (after - before) / 2;
        before = after;
      }
    }
    for (let k = 0; k < count; k++) {
      sums[k] += gains[k];
      squares[k] += gains[k] ** 2;
    }
  }
  const errors = [...sums].map((sum, k) =>
    Math.sqrt(Math.max(0, squares[k] / pairs - (sum / pairs) ** 2) / (pairs - 1)),
  );
  return { values: [...sums].map((sum) => sum / pairs), error: Math.max(...errors) };
}
