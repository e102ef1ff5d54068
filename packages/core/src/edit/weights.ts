import { type Curve, isCurve, type Key, moveKeys, newKey, type Scalar, setKey } from '../curve/curve.js';
import { scalarAt } from '../curve/evaluate.js';
import { type Layer, maxWeight } from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import { partNames } from '../rig/parts.js';
import { changeLayer } from './change.js';

/** Whose weight is meant: the whole layer's, or that of one part on the layer's mask. */
export type WeightOf = { readonly layer: string; readonly part?: string };

const limitOf = (layer: Layer, of: WeightOf): number => (of.part === undefined ? maxWeight(layer.mode) : 1);

/** The weight of a layer or of a part on it, as it stands: a part counts 1 where there is no mask. */
export function weightOf(layer: Layer, part?: string): Scalar {
  if (part === undefined) return layer.weight;
  return layer.mask ? (layer.mask[part] ?? 0) : 1;
}

/** The value of {@link weightOf} at a frame, held within what counts. */
export function weightAt(layer: Layer, frame: number, part?: string): number {
  return scalarAt(weightOf(layer, part), frame, 0, part === undefined ? maxWeight(layer.mode) : 1);
}

function changeWeight(
  project: Project,
  of: WeightOf,
  change: (weight: Scalar, limit: number) => Scalar,
): Project {
  return changeLayer(project, of.layer, (layer) => {
    const weight = change(weightOf(layer, of.part), limitOf(layer, of));
    if (of.part === undefined) return { ...layer, weight };
    // Weighing a part of a layer without a mask makes one in which all other parts go on counting 1.
    const mask = layer.mask ?? Object.fromEntries(partNames(project.parts).map((part) => [part, 1]));
    return { ...layer, mask: { ...mask, [of.part]: weight } };
  });
}

const within = (value: number, limit: number): number => Math.min(limit, Math.max(0, value));

/** Sets a weight: everywhere where it has no keys, with a key at the frame where it has. */
export function setWeight(project: Project, of: WeightOf, frame: number, value: number): Project {
  return changeWeight(project, of, (weight, limit) =>
    isCurve(weight) ? setKey(weight, frame, within(value, limit)) : within(value, limit),
  );
}

/** Keys the weight that counts at a frame, or the given value. */
export function keyWeight(project: Project, of: WeightOf, frame: number, value?: number): Project {
  return changeWeight(project, of, (weight, limit) =>
    setKey(
      isCurve(weight) ? weight : undefined,
      frame,
      within(value ?? scalarAt(weight, frame, 0, limit), limit),
    ),
  );
}

/** Scales a weight so that it has the given value at a frame; a whole curve is scaled, its keys stay in time. */
export function scaleWeight(project: Project, of: WeightOf, frame: number, value: number): Project {
  return changeWeight(project, of, (weight, limit) => {
    const before = scalarAt(weight, frame, 0, limit);
    if (!isCurve(weight)) return within(value, limit);
    if (before <= 0) return weight;
    const factor = within(value, limit) / before;
    return { keys: weight.keys.map((key) => scaleKey(key, factor, limit)) };
  });
}

function scaleKey(key: Key, factor: number, limit: number): Key {
  const handle = (offset: Key['in']) => offset && ([offset[0], offset[1] * factor] as const);
  return { ...key, value: within(key.value * factor, limit), in: handle(key.in), out: handle(key.out) };
}

/** Moves one weight key to a frame and a value. A key that it lands on gives way. */
export function moveWeightKey(
  project: Project,
  of: WeightOf,
  id: string,
  frame: number,
  value: number,
): Project {
  return changeWeight(project, of, (weight, limit) => {
    if (!isCurve(weight)) return weight;
    const key = weight.keys.find((candidate) => candidate.id === id);
    if (!key) return weight;
    const moved = moveKeys(weight, (candidate) => candidate.id === id, frame - key.frame);
    return {
      keys: moved.keys.map((other) => (other.id === id ? { ...other, value: within(value, limit) } : other)),
    };
  });
}

/** Deletes weight keys; the last one leaves its value as the weight everywhere. */
export function deleteWeightKeys(project: Project, of: WeightOf, ids: readonly string[]): Project {
  return changeWeight(project, of, (weight) => {
    if (!isCurve(weight)) return weight;
    const keys = weight.keys.filter((key) => !ids.includes(key.id));
    return keys.length > 0 ? { keys } : weight.keys[0].value;
  });
}

/** Draws a weight by hand: keys for the drawn frames replace those between the first and the last of them. */
export function drawWeight(
  project: Project,
  of: WeightOf,
  points: readonly (readonly [number, number])[],
): Project {
  if (points.length === 0) return project;
  return changeWeight(project, of, (weight, limit) => {
    const drawn = [...points].sort((a, b) => a[0] - b[0]);
    const first = drawn[0][0];
    const last = drawn[drawn.length - 1][0];
    const old: Curve = isCurve(weight) ? weight : { keys: [] };
    const before = old.keys.filter((key) => key.frame < first);
    const after = old.keys.filter((key) => key.frame > last);
    return {
      keys: [...before, ...drawn.map(([frame, value]) => newKey(frame, within(value, limit))), ...after],
    };
  });
}

/** Takes the mask off a layer: every joint counts again. */
export function clearMask(project: Project, id: string): Project {
  return changeLayer(project, id, (layer) => ({ ...layer, mask: undefined }));
}

/** Limits a layer to some parts: those count 1, all others nothing. */
export function limitToParts(project: Project, id: string, parts: readonly string[]): Project {
  const mask = Object.fromEntries(
    partNames(project.parts).map((part) => [part, parts.includes(part) ? 1 : 0]),
  );
  return changeLayer(project, id, (layer) => ({ ...layer, mask }));
}
