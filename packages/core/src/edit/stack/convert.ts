import { type Difference, differenceSteps } from '../../check/difference.js';
import { type Curve, isCurve, type Scalar } from '../../curve/curve.js';
import { finished, partly, type Steps } from '../../job/steps.js';
import { takeOf } from '../../layer/content.js';
import { type Axes, type Layer, layerCurves } from '../../layer/layer.js';
import { type Mode, maxWeight } from '../../layer/mode.js';
import { layerById, layerIndex, type Project } from '../../layer/project.js';
import { rigHeight } from '../../rig/pose.js';
import { changeLayer } from '../change.js';
import { mapCurves } from '../keys/keys.js';
import { scaled } from '../weights/weights.js';
import { keyedToMatch } from './keyed-to-match.js';

/** What a layer is to become, with the same motion seen. */
export interface Conversion {
  readonly mode?: Mode;
  readonly axes?: Axes;
  /** With 1 the weight is folded into the keys. */
  readonly weight?: 1;
}

/** A project with a converted layer, and by how much what is seen is another then. */
export interface Converted extends Difference {
  readonly project: Project;
  /** How many keys the layer had and has. */
  readonly keys: readonly [before: number, after: number];
}

/** What is near enough, in parts of the height, and at which tolerances it is tried before every frame gets a key. */
const CLOSE = 5e-5;
const TOLERANCES = [1, 0.25, 0.05];

/** Whether every number that a layer holds can be scaled with its weight, with nothing else to be seen. */
const scalesExactly = (layer: Layer): boolean =>
  layer.mode === 'additive' &&
  layer.content.kind === 'curves' &&
  layer.content.targets.length === 0 &&
  Object.values(layer.content.channels).every(({ sx, sy, sz }) => !sx && !sy && !sz);

/** A keyed additive layer whose changes are all so many times as large. */
const scaledChanges = (layer: Layer, factor: number): Layer =>
  mapCurves(layer, (curve) => scaled(curve, factor) as Curve);

/**
 * Brings an additive layer down to half its weight and doubles its keys, or the other way round, so that there is room to
 * turn it up; what is seen stays. Undefined for a layer of which that is not exact.
 */
export function shiftWeight(project: Project, id: string, factor: number): Project | undefined {
  const layer = layerById(project, id);
  if (!layer || !scalesExactly(layer)) return undefined;
  const most = isCurve(layer.weight)
    ? Math.max(...layer.weight.keys.map(({ value }) => value))
    : layer.weight;
  if (most * factor > maxWeight(layer.mode)) return undefined;
  return changeLayer(project, id, (own) => ({
    ...scaledChanges(own, 1 / factor),
    weight: scaled(own.weight, factor),
  }));
}

/**
 * Converts a layer to another mode, to other axes or to a weight of 1, with new keys so that what is seen stays over the
 * range of the project. It is exact for a steady weight of additive keys; else the layer is solved for at every whole
 * frame and at its keys, which become keys again, with more between where they are needed. Where it counts less than
 * a twentieth nothing can be solved for: keys beside such frames are all there is. A take, or a loop, becomes
 * keys on the project's own time. The difference is measured over the range.
 */
export const convertLayer = (project: Project, id: string, to: Conversion): Converted =>
  finished(conversionSteps(project, id, to));

/** The same, a frame a step: first it is solved for, then looked over. */
export function* conversionSteps(project: Project, id: string, to: Conversion): Steps<Converted> {
  const layer = layerById(project, id)!;
  const before = countKeys(layer);
  function* done(converted: Project): Steps<Converted> {
    const difference = yield* partly(differenceSteps(project, converted), 0.6, 1);
    return { project: converted, ...difference, keys: [before, countKeys(layerById(converted, id)!)] };
  }
  if (to.weight === 1 && !to.mode && !to.axes && typeof layer.weight === 'number' && scalesExactly(layer)) {
    const { weight } = layer;
    return yield* done(changeLayer(project, id, (own) => ({ ...scaledChanges(own, weight), weight: 1 })));
  }
  const match = yield* partly(keyedToMatch(project, id, wanted(layer, to)), 0, 0.6);
  return yield* closest(project, (tolerance) => done(match(tolerance)));
}

/** What is made with the largest tolerance of a few with which it is near enough, or else with none. */
export function* closest({ rig }: Project, made: (tolerance: number) => Steps<Converted>): Steps<Converted> {
  const close = CLOSE * rigHeight(rig);
  for (const tolerance of TOLERANCES) {
    const converted = yield* made(tolerance);
    if (converted.length < close) return converted;
  }
  return yield* made(0);
}

/** How many keys the channels of a layer have. */
export const countKeys = (layer: Layer): number =>
  layerCurves(layer).reduce((sum, { curve }) => sum + curve.keys.length, 0);

/** The layer with the mode, axes and weight that it is to have, on the project's time and still without keys. */
function wanted(layer: Layer, { mode = layer.mode, axes = layer.axes, weight }: Conversion): Layer {
  const clamped = (value: Scalar): Scalar => {
    const most = maxWeight(mode);
    return isCurve(value)
      ? { keys: value.keys.map((key) => ({ ...key, value: Math.min(most, key.value) })) }
      : Math.min(most, value);
  };
  const { placement, time: _, ...plain } = layer;
  return {
    ...plain,
    mode,
    axes: mode === 'additive' ? axes : 'joint',
    weight: weight ?? clamped(layer.weight),
    ...(mode === 'override' && layer.mode === 'override' && placement && { placement }),
  };
}

/** Why a layer cannot be converted, in words for people; undefined where it can. */
export function conversionRefusal(project: Project, id: string, to: Conversion): string | undefined {
  const layer = layerById(project, id);
  if (!layer || layerIndex(project, id) === 0) return 'The base stays an override layer';
  if (layer.content.kind === 'nothing') return `${layer.name} has no keys: there is nothing to convert`;
  const same =
    (to.mode ?? layer.mode) === layer.mode &&
    (to.axes ?? layer.axes) === layer.axes &&
    to.weight === undefined;
  if (same) return `${layer.name} is that already`;
  if (to.axes && to.axes !== 'joint' && takeOf(layer)) return 'A take has the axes of its joints';
  return undefined;
}
