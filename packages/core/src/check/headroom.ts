import { compileStack } from '../evaluate/compile.js';
import type { CompiledStack } from '../evaluate/compiled.js';
import type { Steps } from '../job/steps.js';
import type { Layer } from '../layer/layer.js';
import { maxWeight } from '../layer/mode.js';
import { layerIndex, type Project } from '../layer/project.js';
import { compiledLimbs } from '../rig/compiled-limbs.js';
import type { Part } from '../rig/parts.js';
import { FINDING_LIMITS, type FindingLimits, gradedBy } from './finding.js';
import { framesOf } from './findings.js';
import { rangeProbes, stretchProbes } from './limb-probes.js';
import type { Probe } from './probe.js';
import { type SeenMotion, seeMotion } from './seen.js';
import { standingsOf } from './standing.js';
import { standingProbes } from './standing-probes.js';
import { throughProbes } from './through-probes.js';

/** How far a layer, or it in one part of the body, can be turned up at each frame. */
export interface Headroom {
  readonly layer: string;
  readonly part?: Part;
  readonly frames: Float64Array;
  /** For each frame the largest weight at which nothing is found that is not found at 0. */
  readonly ceiling: Float64Array;
  /** The largest weight that there can be. */
  readonly most: number;
}

/** Weights that are tried first, as parts of the largest, and how often the place between two of them is halved then. */
const TRIED = 8;
const HALVINGS = 5;

/** The layer with a steady weight, of itself or in one part, without its span: what is asked is how it is at this weight. */
function weighed(layer: Layer, part: Part | undefined, parts: readonly string[], weight: number): Layer {
  if (part === undefined) return { ...layer, weight, span: undefined };
  const mask = layer.mask ?? Object.fromEntries(parts.map((one) => [one, 1]));
  return { ...layer, span: undefined, mask: { ...mask, [part]: weight } };
}

/** What is measured frame by frame: all that a frame alone tells, and slides by where feet stood without the layer. */
function frameProbes(project: Project, stack: CompiledStack): Probe[] {
  return [
    ...standingProbes(project, standingsOf(project, stack)),
    ...rangeProbes(project),
    ...stretchProbes(project),
    ...throughProbes(project),
  ];
}

/**
 * Finds how far a layer could be turned up at every frame of the range, a part at a time. A frame is looked at on its own,
 * with the layer at one weight over the whole range; a foot slides by as much as it does over its contact then. Weights
 * are halved in until they are within a part in some hundred of the largest.
 */
export function* headroomSteps(
  project: Project,
  id: string,
  part: Part | undefined,
  limits: FindingLimits = FINDING_LIMITS,
): Steps<Headroom> {
  const index = layerIndex(project, id);
  const layer = project.layers[index];
  const most = part === undefined ? maxWeight(layer.mode) : 1;
  const frames = framesOf(project);
  const limbs = compiledLimbs(project.rig, project.limbs);
  let stack: CompiledStack | undefined;
  const stackAt = (weight: number): CompiledStack => {
    const layers = project.layers.with(index, {
      ...weighed(layer, part, project.parts, weight),
      muted: false,
    });
    stack = compileStack({ ...project, layers }, stack);
    return stack;
  };
  const probes = frameProbes(project, stackAt(0));
  const over = (weight: number, wanted: ArrayLike<number>, asked: readonly number[]): Float64Array[] => {
    const seen = seeMotion(stackAt(weight), limbs, wanted);
    return probes.map((probe) => amountsAt(probe, seen, asked));
  };
  const all = [...frames.keys()];
  const none = over(0, frames, all);
  const allowed = probes.map((probe, p) =>
    none[p].map((amount) => Math.max(amount, limits[gradedBy(probe)!][1])),
  );
  const breaks = (amounts: readonly Float64Array[], f: number, of: number) =>
    amounts.some((own, p) => own[f] > allowed[p][of] * (1 + 1e-9));
  const low = new Float64Array(frames.length);
  const high = new Float64Array(frames.length).fill(Number.NaN);
  /** Tries a weight at some frames. */
  const tryAt = (weight: number, some: readonly number[]): void => {
    // A slide is measured over its whole span: the frames of the spans that some of them lie in come along.
    const wanted = withSpans(frames, some, probes);
    const places = new Map(wanted.map((f, k) => [f, k]));
    const amounts = over(
      weight,
      wanted.map((f) => frames[f]),
      some.map((f) => places.get(f)!),
    );
    for (const [k, f] of some.entries()) {
      if (breaks(amounts, k, f)) high[f] = weight;
      else low[f] = weight;
    }
  };
  for (let k = 1; k <= TRIED; k++) {
    const whole = all.filter((f) => Number.isNaN(high[f]));
    if (whole.length > 0) tryAt((most * k) / TRIED, whole);
    yield (0.6 * k) / TRIED;
  }
  for (let round = 0; round < HALVINGS; round++) {
    const groups = new Map<number, number[]>();
    for (const f of all) {
      if (Number.isNaN(high[f])) continue;
      const middle = (low[f] + high[f]) / 2;
      groups.set(middle, [...(groups.get(middle) ?? []), f]);
    }
    for (const [weight, some] of groups) tryAt(weight, some);
    yield 0.6 + (0.4 * (round + 1)) / HALVINGS;
  }
  return { layer: id, ...(part !== undefined && { part }), frames, ceiling: low, most };
}

/** How much of a probe there is at the frames with some indices; 0 beside its span. */
function amountsAt(probe: Probe, seen: SeenMotion, asked: readonly number[]): Float64Array {
  const amounts = new Float64Array(asked.length);
  const [first, last] = probe.span ?? [Number.NEGATIVE_INFINITY, Number.POSITIVE_INFINITY];
  for (let k = 0; k < asked.length; k++) {
    const frame = seen.frames[asked[k]];
    if (frame >= first - 1e-6 && frame <= last + 1e-6) amounts[k] = probe.at(seen, asked[k], probe);
  }
  return amounts;
}

/** Frames with those of the spans of slides that they lie in, ascending, as indices. */
function withSpans(frames: Float64Array, some: readonly number[], probes: readonly Probe[]): number[] {
  const all = new Set(some);
  for (const { span, around } of probes) {
    if (!span || around !== undefined) continue;
    const within = (f: number) => frames[f] >= span[0] - 1e-6 && frames[f] <= span[1] + 1e-6;
    if (!some.some(within)) continue;
    for (let f = 0; f < frames.length; f++) if (within(f)) all.add(f);
  }
  return [...all].sort((a, b) => a - b);
}
