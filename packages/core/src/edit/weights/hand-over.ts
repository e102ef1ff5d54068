import { type Curve, isCurve, mergedKeys, newKey, type Scalar } from '../../curve/curve.js';
import { scalarAt } from '../../curve/evaluate.js';
import { compileStack } from '../../evaluate/compile.js';
import type { CompiledStack } from '../../evaluate/compiled.js';
import { alphaAt } from '../../evaluate/evaluate.js';
import { finished, type Steps } from '../../job/steps.js';
import { type CurveAddress, rangeOfAddress, scalarAtAddress } from '../../layer/address.js';
import type { Layer } from '../../layer/layer.js';
import { baseOf, layerById, layerIndex, type Project } from '../../layer/project.js';
import { changeLayer } from '../change.js';
import { writeScalar } from '../keys/curves.js';
import { setSpan } from './span.js';

/** One performance hands over to another: ids of layers, `below` for what lies below the other one. */
export interface HandOver {
  readonly from: string | 'below';
  readonly to: string | 'below';
  /** First and last frame of the stretch. */
  readonly range: readonly [number, number];
  /** Only in these parts of the body; everywhere where not said. */
  readonly parts?: readonly string[];
}

/** Why two layers cannot hand over, in words for people; undefined where they can. */
export function handOverRefusal(project: Project, { from, to, range }: HandOver): string | undefined {
  const [a, b] = [from, to].map((id) => (id === 'below' ? undefined : layerById(project, id)));
  const base = baseOf(project);
  if (from === to) return 'Two different layers are needed';
  if ((from !== 'below' && !a) || (to !== 'below' && !b)) return 'A layer is not there any more';
  if (!(range[1] > range[0])) return 'The stretch has no frames';
  const upper = [a, b].filter((layer): layer is Layer => layer !== undefined);
  if (upper.length < 2 && upper[0] === base) return 'There is nothing below the base';
  if (upper.length === 2 && upper[0].mode !== upper[1].mode)
    return `${upper[0].name} and ${upper[1].name} are of two modes: one replaces what the other adds to`;
  const locked = upper.find((layer) => layer.locked);
  return locked && `${locked.name} is locked`;
}

/**
 * A weight that goes from one value to another over a stretch. Beside it keys stay from the nearest on that have the value
 * that the stretch has on their side: before it the one performance plays, and behind it the other.
 */
function crossing(scalar: Scalar, [a, b]: readonly [number, number], start: number, end: number): Curve {
  const keys = isCurve(scalar) ? scalar.keys : [];
  const before = keys.findLastIndex(({ frame, value }) => frame < a && value === start);
  const after = keys.findIndex(({ frame, value }) => frame > b && value === end);
  return {
    keys: [
      ...keys.slice(0, before + 1),
      newKey(a, start),
      newKey(b, end),
      ...(after < 0 ? [] : keys.slice(after)),
    ],
  };
}

/** A weight that is 1 over a stretch and as it was beside it. */
function whole(scalar: Scalar, range: readonly [number, number]): Scalar {
  if (!isCurve(scalar)) return 1;
  const inside = scalar.keys.filter((key) => key.frame >= range[0] && key.frame <= range[1]);
  const full = [...range, ...inside.map(({ frame }) => frame)].every((f) => scalarAt(scalar, f, 0, 1) === 1);
  if (full) return scalar;
  const beside = scalar.keys.filter(({ frame }) => frame < range[0] || frame > range[1]);
  return { keys: mergedKeys(beside, [newKey(range[0], 1), newKey(range[1], 1)]) };
}

/** Lets the span of a layer be full over a stretch. */
function spanOver(project: Project, id: string, [a, b]: readonly [number, number]): Project {
  const span = layerById(project, id)?.span;
  if (!span) return project;
  return setSpan(project, id, {
    ...span,
    ...(span.start !== undefined && { start: Math.min(span.start, a - (span.fadeIn ?? 0)) }),
    ...(span.end !== undefined && { end: Math.max(span.end, b + (span.fadeOut ?? 0)) }),
  });
}

/**
 * Hands one performance over to another, so that together they count in full at every frame. Of two override layers the
 * lower one counts in full while the weight of the upper one runs from 0 to 1, or from 1 to 0: two weights that both run
 * would let what is below show through. Of two additive layers one goes as the other comes.
 */
export function handOver(project: Project, { from, to, range, parts }: HandOver): Project {
  const adds = [from, to].every((id) => id !== 'below' && layerById(project, id)?.mode === 'additive');
  const addressesOf = (layer: string): CurveAddress[] =>
    parts ? parts.map((part) => ({ kind: 'part', layer, part })) : [{ kind: 'weight', layer }];
  const run = (start: Project, id: string, rises: boolean): Project =>
    addressesOf(id).reduce(
      (current, address) => {
        const layer = layerById(current, id)!;
        const most = Math.min(1, rangeOfAddress(layer, address)[1]);
        const scalar = scalarAtAddress(layer, address) ?? 1;
        return writeScalar(current, address, crossing(scalar, range, rises ? 0 : most, rises ? most : 0));
      },
      liveOver(start, id, parts !== undefined),
    );
  if (adds) return run(run(project, from, false), to, true);
  const index = (id: string) => (id === 'below' ? -1 : layerIndex(project, id));
  const rises = index(to) > index(from);
  const [upper, lower] = rises ? [to, from] : [from, to];
  const started = run(project, upper, rises);
  if (lower === 'below') return started;
  return addressesOf(lower).reduce(
    (current, address) => {
      const scalar = scalarAtAddress(layerById(current, lower)!, address) ?? 1;
      return writeScalar(current, address, whole(scalar, range));
    },
    liveOver(started, lower, parts !== undefined),
  );

  /** A layer that is on over the stretch and, where parts are handed over, counts in full beside them. */
  function liveOver(start: Project, id: string, byPart: boolean): Project {
    const on = changeLayer(spanOver(start, id, range), id, (layer) => ({ ...layer, muted: false }));
    return byPart
      ? writeScalar(on, { kind: 'weight', layer: id }, whole(layerById(on, id)!.weight, range))
      : on;
  }
}

/** Where override layers let what is below them through although each only counts in part. */
export interface LetThrough {
  readonly frame: number;
  readonly part: string;
  /** The part of one that what is below still has. */
  readonly amount: number;
  /** Ids of the layers, from below. */
  readonly layers: readonly string[];
}

/** What may be let through without a word. */
const LITTLE = 0.01;

/**
 * Where two override layers that both count in part let more than 1 % of what is below them through, the most of it; at
 * whole frames of the range, of the pairs that `layer` is in. The base is below and not one of them.
 */
export const letThrough = (project: Project, layer: string): LetThrough | undefined =>
  finished(letThroughSteps(project, layer));

/** The same a frame at a time, for those who have other things to do, and who have the stack compiled perhaps. */
export function* letThroughSteps(
  project: Project,
  layer: string,
  stack: CompiledStack = compileStack(project),
): Steps<LetThrough | undefined> {
  const index = layerIndex(project, layer);
  if (index < 1 || stack.layers[index].additive) return undefined;
  const partial = (alpha: number) => alpha > 0 && alpha < 1;
  let most: LetThrough | undefined;
  const others = stack.layers.flatMap((other, k) => (k > 0 && k !== index && !other.additive ? [k] : []));
  const joints = representatives(project, stack.layers[index].touched);
  for (let frame = Math.ceil(project.range[0]); frame <= project.range[1]; frame++) {
    yield (frame - project.range[0]) / Math.max(1, project.range[1] - project.range[0]);
    for (const j of joints) {
      const own = alphaAt(stack, index, j, frame);
      if (!partial(own)) continue;
      for (const k of others) {
        const other = stack.layers[k].touched.includes(j) ? alphaAt(stack, k, j, frame) : 0;
        const amount = (1 - own) * (1 - other);
        if (!partial(other) || amount <= LITTLE || amount <= (most?.amount ?? 0)) continue;
        const pair = k < index ? [k, index] : [index, k];
        if (covered(stack, pair[1], j, frame)) continue;
        most = { frame, part: project.parts[j], amount, layers: pair.map((i) => project.layers[i].id) };
      }
    }
  }
  return most;
}

/** Whether a layer above counts in full at a joint, so that nothing of those below is seen there. */
const covered = (stack: CompiledStack, index: number, j: number, frame: number): boolean =>
  stack.layers.some(
    (layer, k) =>
      k > index && !layer.additive && layer.touched.includes(j) && alphaAt(stack, k, j, frame) === 1,
  );

/** Of the joints that a layer touches one for each part, since a part mostly counts alike. */
function representatives({ parts }: Project, touched: Int32Array): number[] {
  const first = new Map<string, number>();
  for (const j of touched) if (!first.has(parts[j])) first.set(parts[j], j);
  return [...first.values()];
}
