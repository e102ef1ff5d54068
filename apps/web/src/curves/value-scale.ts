import type { Project } from '@evlay/core';
import { layerById } from '@evlay/core';
import { extentOf, type ShownCurve, type Unit } from './shown.js';

/** Values from the lower edge of the graph to the upper one. */
export type Values = readonly [number, number];

/** By which values the graph is as high as it is: for each unit, or for each curve by its key. */
export type ValueScales = ReadonlyMap<string, Values>;

/** The least that a scale shows of a unit, so that a curve that hardly changes is drawn nearly flat. */
const LEAST: Readonly<Record<Unit, number>> = { angle: 2, length: 0.005, part: 0.2 };
/** Room above and below, as part of what is shown. */
const ROOM = 0.14;

/** Which scale a curve has. */
export const scaleName = (curve: ShownCurve, own: boolean): string => (own ? curve.key : curve.unit);

const padded = ([low, high]: Values, least: number): Values => {
  const more = Math.max(0, least - (high - low)) / 2;
  const room = (high - low + 2 * more) * ROOM;
  return [low - more - room, high + more + room];
};

/** Scales in which all curves are in sight. */
export function fittedScales(project: Project, curves: readonly ShownCurve[], own: boolean): ValueScales {
  const found = new Map<string, { values: Values; unit: Unit }>();
  for (const curve of curves) {
    const layer = layerById(project, curve.address.layer);
    const extent = layer && extentOf(layer, curve.address);
    if (!extent) continue;
    const name = scaleName(curve, own);
    const before = found.get(name)?.values ?? extent;
    found.set(name, {
      values: [Math.min(before[0], extent[0]), Math.max(before[1], extent[1])],
      unit: curve.unit,
    });
  }
  return new Map(
    [...found].map(([name, { values, unit }]) => {
      const least = unit === 'length' ? LEAST.length / project.metresPerUnit : LEAST[unit];
      return [name, padded(values, least)];
    }),
  );
}

/** Scales in which weights up to a sum are in sight, from 0 on. */
export function withSum(scales: ValueScales, sum: number): ValueScales {
  const [low, high] = scales.get('part') ?? [0, 1];
  const [least, most] = padded([0, Math.max(1, sum)], LEAST.part);
  return new Map(scales).set('part', [Math.min(low, least), Math.max(high, most)]);
}

export const valueToY = ([low, high]: Values, value: number, height: number): number =>
  height - ((value - low) / (high - low)) * height;

export const yToValue = ([low, high]: Values, y: number, height: number): number =>
  low + ((height - y) / height) * (high - low);

/** Scales that are zoomed about a height of the graph, as part of it from above, and moved by a part of it. */
export const zoomedScales = (scales: ValueScales, factor: number, about: number, by = 0): ValueScales =>
  new Map(
    [...scales].map(([name, [low, high]]) => {
      const span = high - low;
      const still = high - about * span;
      return [
        name,
        [still - (1 - about) * span * factor + by * span, still + about * span * factor + by * span],
      ];
    }),
  );

/** Values at which the graph has lines: steps of 1, 2 or 5 times a power of ten, at least `room` pixels apart. */
export function valueSteps([low, high]: Values, height: number, room: number): number[] {
  const least = ((high - low) / height) * room;
  const power = 10 ** Math.floor(Math.log10(least));
  const step = [1, 2, 5, 10].map((k) => k * power).find((one) => one >= least) ?? 10 * power;
  const steps: number[] = [];
  for (let value = Math.ceil(low / step) * step; value <= high; value += step)
    steps.push(Math.abs(value) < step / 1e6 ? 0 : value);
  return steps;
}
