import {
  type Curve,
  curveAtAddress,
  type Key,
  type KeyPick,
  keyMarks,
  layerById,
  type OwnTime,
  type Project,
} from '@evlay/core';
import { type HandleSide, handlesOfSegment } from '@evlay/core/curve';
import { timeOf, valueAt } from '@evlay/core/edit';
import { isPicked } from '../editor/follow.js';
import { frameToX, type TimeScale } from '../timeline/time-scale.js';
import type { ShownCurve } from './shown.js';
import { scaleName, type ValueScales, type Values, valueToY } from './value-scale.js';

/** A curve as it lies on the graph. */
export interface PlacedCurve {
  readonly shown: ShownCurve;
  readonly curve: Curve;
  readonly time: OwnTime;
  readonly values: Values;
}

/** Everything that says where things lie on the graph. */
export interface Graph {
  readonly project: Project;
  readonly curves: readonly ShownCurve[];
  /** Layers whose weights are summed up on it; none where no sum is shown. */
  readonly summed: readonly string[];
  readonly hidden: readonly string[];
  readonly scales: ValueScales;
  readonly own: boolean;
  readonly scale: TimeScale;
  readonly height: number;
  readonly picks: readonly KeyPick[];
}

/** The curves that are drawn, in the order in which they are drawn. */
export function placedCurves({ project, curves, hidden, scales, own }: Graph): PlacedCurve[] {
  return curves.flatMap((shown): PlacedCurve[] => {
    const layer = layerById(project, shown.address.layer);
    if (!layer) return [];
    const curve = curveAtAddress(layer, shown.address);
    const values = scales.get(scaleName(shown, own));
    if (!curve || !values || hidden.includes(shown.key)) return [];
    return [{ shown, curve, time: timeOf(project, layer, shown.address), values }];
  });
}

/** Frame of the project at which an own frame of a curve is seen. */
export const frameSeen = (time: OwnTime, own: number): number =>
  time.speed === 0 ? time.offset : time.offset + own / time.speed;

/** A place on the graph, in pixels. */
export interface Spot {
  readonly x: number;
  readonly y: number;
}

export const spotOf = (
  { scale, height }: Graph,
  { time, values }: PlacedCurve,
  frame: number,
  value: number,
): Spot => ({
  x: frameToX(scale, frameSeen(time, frame)),
  y: valueToY(values, value, height),
});

/** A handle on the graph: of which key, on which side, and where. */
export interface PlacedHandle {
  readonly placed: PlacedCurve;
  readonly index: number;
  readonly side: HandleSide;
  readonly at: Spot;
}

/** More picked keys than these show no handles: they would only hide the curves. */
const MOST_HANDLES = 40;

/** The handles that are seen: of the picked keys, where a curve can be shaped. */
export function placedHandles(graph: Graph, placed: readonly PlacedCurve[]): PlacedHandle[] {
  if (graph.picks.reduce((sum, { keys }) => sum + keys.length, 0) > MOST_HANDLES) return [];
  return placed.flatMap((one) =>
    one.curve.keys.flatMap((key, index): PlacedHandle[] => {
      if (!isPicked(graph.picks, one.shown.key, key.id)) return [];
      const { keys } = one.curve;
      const handle = (side: HandleSide): PlacedHandle[] => {
        const segment = side === 'in' ? index - 1 : index;
        if (segment < 0 || segment + 1 >= keys.length || keys[segment].ease === 'hold') return [];
        const [frames, value] = handlesOfSegment(keys, segment)[side];
        return [{ placed: one, index, side, at: spotOf(graph, one, key.frame + frames, key.value + value) }];
      };
      return [...handle('in'), ...handle('out')];
    }),
  );
}

const NEAR = 7;

const near = (a: Spot, b: Spot): number => Math.max(Math.abs(a.x - b.x), Math.abs(a.y - b.y));

/** The handle under the pointer, and how far that is off. */
export const handleAt = (
  handles: readonly PlacedHandle[],
  spot: Spot,
): { readonly handle: PlacedHandle; readonly off: number } | undefined =>
  handles
    .map((handle) => ({ handle, off: near(handle.at, spot) }))
    .filter(({ off }) => off <= NEAR)
    .sort((a, b) => a.off - b.off)[0];

/** The key under the pointer, and how far that is off; of those that are equally near a picked one. */
export function keyAtSpot(
  graph: Graph,
  placed: readonly PlacedCurve[],
  spot: Spot,
): { readonly placed: PlacedCurve; readonly key: Key; readonly off: number } | undefined {
  let found: { placed: PlacedCurve; key: Key; off: number } | undefined;
  for (const one of placed)
    for (const key of one.curve.keys) {
      const picked = isPicked(graph.picks, one.shown.key, key.id) ? 0.5 : 0;
      const off = near(spotOf(graph, one, key.frame, key.value), spot) - picked;
      if (off <= NEAR && (!found || off < found.off)) found = { placed: one, key, off };
    }
  return found;
}

/** The curve that passes under the pointer; the nearest of several. */
export function curveUnder(
  graph: Graph,
  placed: readonly PlacedCurve[],
  spot: Spot,
  frame: number,
): PlacedCurve | undefined {
  const offs = placed.map((one) => {
    const value = valueAt(graph.project, one.shown.address, frame);
    return { one, off: Math.abs(valueToY(one.values, value, graph.height) - spot.y) };
  });
  const [near] = offs.filter(({ off }) => off <= 2 * NEAR).sort((a, b) => a.off - b.off);
  return near?.one;
}

/** The keys of all curves in a rectangle of the graph. */
export const keysInBox = (graph: Graph, placed: readonly PlacedCurve[], a: Spot, b: Spot): KeyPick[] =>
  placed.flatMap((one) => {
    const keys = one.curve.keys.filter((key) => {
      const { x, y } = spotOf(graph, one, key.frame, key.value);
      return (x - a.x) * (x - b.x) <= 0 && (y - a.y) * (y - b.y) <= 0;
    });
    return keys.length > 0 ? [{ address: one.shown.address, keys: keys.map(({ id }) => id) }] : [];
  });

/** Where the cycles of a loop are seen beside the one that is keyed: by how many frames of the project each is off. */
export function roundsSeen({ scale }: Graph, time: OwnTime, { keys }: Curve): number[] {
  if (time.loop === 'none' || time.speed === 0 || keys.length === 0) return [];
  const marks = keyMarks(time, [keys[0].frame], scale.from - time.length / Math.abs(time.speed), scale.to);
  return [...new Set(marks.map(({ round }) => round))]
    .filter((round) => round !== 0)
    .map((round) => (round * time.length) / time.speed);
}
