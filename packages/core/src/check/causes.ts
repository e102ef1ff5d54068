import { compileStack } from '../evaluate/compile.js';
import type { CompiledStack } from '../evaluate/compiled.js';
import { newContactCache } from '../evaluate/contacts/contact-cache.js';
import { alphaAt } from '../evaluate/evaluate.js';
import type { Project } from '../layer/project.js';
import { compiledLimbs } from '../rig/compiled-limbs.js';
import { isFace, memberName } from '../rig/members.js';
import { isWithin } from '../rig/rig.js';
import type { Cause, Finding } from './finding.js';
import { probesOf } from './findings.js';
import { leanFor } from './lean.js';
import type { Probe } from './probe.js';
import { type SeenMotion, seeMotion } from './seen.js';

/** Layers up to which shares are worked out exactly; more are first taken in so many blocks. */
const EXACT = 6;
const BLOCKS = 4;
/** Sets of layers that are looked at once blocks are taken apart, and the part of a finding below which none is. */
const SETS = 64;
const SLIGHT = 0.02;

/** Where a finding comes from, and how exact that is: the most that was shared out evenly in a block, 0 where all is exact. */
export interface Causes {
  readonly causes: readonly Cause[];
  readonly error: number;
}

/**
 * The layers that a finding comes from, the largest amount first: what each adds to it, averaged over all orders in which
 * the layers could have been put on (Shapley, A Value for n-Person Games, 1953). The amounts sum to that of the finding;
 * layers that do the same get the same, and one that does nothing gets 0 and is left out. What is there without any of
 * them comes from the base. Layers that correct (contacts, targets that hold still) stay on all the while: what they leave
 * comes from those that they could not correct. They are a cause by what they add where nothing but the base is below.
 * A finding of a layer as a whole comes from that layer.
 */
export const causesOf = (project: Project, finding: Finding): Causes => causesIn(project)(finding);

/** {@link causesOf} for many findings of one project. */
export function causesIn(project: Project): (finding: Finding) => Causes {
  const stack = compileStack(project);
  const probes = probesOf(project, stack);
  const known = new Map<string, CompiledStack>();
  /** What is left of the stack for some joints, made once for all findings that look at the same. */
  const leanOf = (looks: readonly number[]): CompiledStack => {
    const key = looks.join(' ');
    const lean = known.get(key) ?? compileStack(leanFor(project, looks));
    known.set(key, lean);
    return lean;
  };
  return (finding) => causesBy(project, stack, leanOf, probes, finding);
}

function causesBy(
  project: Project,
  stack: CompiledStack,
  leanOf: (looks: readonly number[]) => CompiledStack,
  probes: readonly Probe[],
  finding: Finding,
): Causes {
  if (finding.layer !== undefined)
    return { causes: [{ layer: finding.layer, amount: finding.amount }], error: 0 };
  const probe = probes.find((one) => isOf(project, one, finding));
  if (!probe) return { causes: [], error: 0 };
  const frames = framesFor(probe, finding);
  const concerned = playersOf(stack, probe, frames);
  const correctors = concerned.filter((index) => onlyCorrects(stack, index));
  const players = concerned.filter((index) => !correctors.includes(index));
  const limbs = compiledLimbs(project.rig, project.limbs);
  const looks = [...new Set(probe.looks)];
  const lean = leanOf(looks);
  const lookAt = (on: ReadonlySet<number>, at: Float64Array): SeenMotion => {
    // With all of them on it is the stack itself, of which what contacts know serves on.
    if (concerned.every((index) => on.has(index))) return seeMotion(lean, limbs, at, looks);
    const live = lean.live.map((is, index) => is && (on.has(index) || !concerned.includes(index)));
    const contactCaches = lean.contactCaches.map(
      (cache) =>
        cache &&
        newContactCache(
          cache.step,
          cache.rig,
          cache.fps,
          cache.turns.like,
          cache.seen,
          cache.ahead !== undefined,
          cache.room,
        ),
    );
    return seeMotion({ ...lean, live, contactCaches }, limbs, at, looks);
  };
  /** Measures sets of layers that are on, seen at some frames. */
  const measured = (at: Float64Array) => {
    const f = Math.max(0, at.indexOf(finding.frame));
    const share = probe.share?.(lookAt(new Set(concerned), at), f);
    const amounts = new Map<string, number>();
    return (on: readonly number[]): number => {
      const set = new Set(on);
      const key = concerned.map((index) => (set.has(index) ? 1 : 0)).join('');
      const before = amounts.get(key);
      if (before !== undefined) return before;
      const seen = lookAt(set, at);
      const amount = share
        ? share(seen)
        : probe.around === undefined
          ? mostOf(at.length, (k) => probe.at(seen, k, probe))
          : probe.at(seen, f, probe);
      amounts.set(key, amount);
      return amount;
    };
  };
  const amountOf = measured(frames);
  const whole = finding.amount;
  const slight = SLIGHT * Math.abs(finding.amount);
  const left = amountOf(correctors);
  let values: ReadonlyMap<number, number>;
  let error = 0;
  if (players.length <= EXACT)
    values = shared(players, (on) => amountOf([...on, ...correctors]), slight).values;
  else {
    // Many are told apart by what they do below the layers that correct, and at fewer frames, in proportion.
    const roughly = measured(thinned(frames, finding.frame));
    const rough = shared(players, roughly, slight);
    const sum = roughly(players) - roughly([]);
    const scale = Math.abs(sum) > slight ? (whole - left) / sum : 0;
    const even = scale === 0 ? (whole - left) / players.length : 0;
    values = new Map([...rough.values].map(([index, value]) => [index, scale * value + even]));
    error = Math.abs(scale) * rough.error;
  }
  // Where correcting makes it worse even without the others, that is the correctors' own, each on top of those below.
  const own = new Map<number, number>();
  const plain = correctors.length > 0 ? amountOf([]) : left;
  let base = left;
  if (base > plain) {
    let before = plain;
    for (const [k, index] of correctors.entries()) {
      const after = amountOf(correctors.slice(0, k + 1));
      own.set(index, after - before);
      before = after;
    }
    base = plain;
  }
  const causes = [
    { index: 0, amount: base },
    ...[...values, ...own].map(([index, amount]) => ({ index, amount })),
  ];
  const least = 1e-9 * Math.max(1, Math.abs(finding.amount));
  return {
    causes: causes
      .filter(({ amount }) => Math.abs(amount) > least)
      .sort((a, b) => Math.abs(b.amount) - Math.abs(a.amount))
      .map(({ index, amount }) => ({ layer: project.layers[index].id, amount })),
    error,
  };
}

/** Frames at which a span is seen where many layers are told apart. */
const FEW = 16;

/** Frames of a span, not more than {@link FEW}, with its ends and the one that counts. */
function thinned(frames: Float64Array, frame: number): Float64Array {
  const every = Math.ceil(frames.length / FEW);
  const at = frames.indexOf(frame);
  return frames.filter((_, k) => k === 0 || k === frames.length - 1 || (k - at) % every === 0);
}

/** Whether a layer corrects what is below: it holds contacts, or joints at targets that keep still, and does nothing else. */
function onlyCorrects(stack: CompiledStack, index: number): boolean {
  const { steps, additive } = stack.layers[index];
  return steps.every(
    (step) =>
      step.kind === 'contacts' ||
      (step.kind === 'targets' &&
        !additive &&
        step.targets.every(({ at }) => at.every((value) => typeof value === 'number'))),
  );
}

const isOf = ({ rig }: Project, probe: Probe, { kind, joint, other, more, from }: Finding): boolean =>
  probe.kind === kind &&
  probe.more === more &&
  memberName(rig, probe.joint) === joint &&
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
function playersOf(stack: CompiledStack, { looks, joint }: Probe, frames: Float64Array): number[] {
  const { rig } = stack;
  return stack.layers.flatMap(({ touched, faces, corrects }, index) => {
    if (index === 0 || !stack.live[index]) return [];
    if (isFace(rig, joint)) {
      const counts = frames.some((frame) => alphaAt(stack, index, joint, frame) > 0);
      return counts && faces.includes(joint - rig.joints.length) ? [index] : [];
    }
    const concerned = [...touched].filter(
      (j) => corrects || rig.joints[j].parent < 0 || looks.some((look) => isWithin(rig, look, j)),
    );
    const counts = concerned.some((j) => frames.some((frame) => alphaAt(stack, index, j, frame) > 0));
    return counts ? [index] : [];
  });
}

/** How much a set of players brings about. */
type Worth = (on: readonly number[]) => number;

/**
 * What each of some players adds. Up to {@link EXACT} their Shapley values. More are taken in blocks that follow one another,
 * and each block that counts is taken apart with the others on, as far as there are sets left to look at, its values scaled
 * to the block's (after Owen, Values of Games with a Priori Unions, 1977); what is in the blocks that are left is shared out
 * evenly.
 */
function shared(
  players: readonly number[],
  worth: Worth,
  slight: number,
): { values: Map<number, number>; error: number } {
  const values = new Map<number, number>();
  if (players.length === 0) return { values, error: 0 };
  if (players.length <= EXACT) {
    const own = shapley(players.length, (set) => worth(players.filter((_, k) => set & (1 << k))));
    for (const [k, player] of players.entries()) values.set(player, own[k]);
    return { values, error: 0 };
  }
  let sets = 0;
  const open: { members: readonly number[]; value: number }[] = [
    { members: players, value: worth(players) - worth([]) },
  ];
  let error = 0;
  while (open.length > 0) {
    open.sort((a, b) => Math.abs(b.value) - Math.abs(a.value));
    const { members, value } = open.shift()!;
    const whole = members.length === players.length;
    if (members.length === 1) {
      values.set(members[0], value);
      continue;
    }
    if (!whole && (sets >= SETS || Math.abs(value) < slight)) {
      for (const member of members) values.set(member, value / members.length);
      error = Math.max(error, Math.abs(value));
      continue;
    }
    const count = Math.min(BLOCKS, members.length);
    const blocks = Array.from({ length: count }, (_, k) =>
      members.slice(Math.round((k * members.length) / count), Math.round(((k + 1) * members.length) / count)),
    );
    const others = players.filter((player) => !members.includes(player));
    const own = shapley(count, (set) =>
      worth([...others, ...blocks.flatMap((b, k) => (set & (1 << k) ? b : []))]),
    );
    sets += 1 << count;
    const sum = own.reduce((total, one) => total + one, 0);
    const scale = Math.abs(sum) > 1e-9 * Math.abs(value) ? value / sum : 0;
    for (const [k, block] of blocks.entries())
      open.push({ members: block, value: scale === 0 ? value / count : scale * own[k] });
  }
  return { values, error };
}

/** The Shapley values of so many players; sets are bits. */
function shapley(count: number, worth: (set: number) => number): number[] {
  const factorial = [1];
  for (let k = 1; k <= count; k++) factorial.push(factorial[k - 1] * k);
  const worths = Float64Array.from({ length: 1 << count }, (_, set) => worth(set));
  return Array.from({ length: count }, (_, player) => {
    let value = 0;
    const own = 1 << player;
    for (let set = 0; set < 1 << count; set++) {
      if (set & own) continue;
      let size = 0;
      for (let bits = set; bits > 0; bits &= bits - 1) size++;
      const share = (factorial[size] * factorial[count - size - 1]) / factorial[count];
      value += share * (worths[set | own] - worths[set]);
    }
    return value;
  });
}
