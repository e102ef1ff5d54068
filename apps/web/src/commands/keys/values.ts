import type { CurveAddress, Scalar } from '@evlay/core';
import { drawValue, keyValue, scaleValue, setValue } from '@evlay/core/edit';
import { command } from '../command.js';

/** Four decimals are finer than any hand; more would only be noise in the file. */
const fine = (value: number): number => Math.round(value * 1e4) / 1e4;

/** A value to be set; with `whole`, a curve is scaled as a whole from what it was. */
export interface ValueChange {
  readonly address: CurveAddress;
  readonly value: number;
  readonly whole?: boolean;
  /** The frame at which it is set; the playhead if not said. */
  readonly at?: number;
  readonly from?: Scalar;
}

const itsLayer = (_: unknown, { address }: { readonly address: CurveAddress }) => address.layer;

/** Sets values of weights, placements and the like: everywhere, or with a key at the playhead where they are keyed. */
export const setValues = command<readonly ValueChange[]>({
  name: 'Set the value',
  layer: (_, changes) => changes.map(({ address }) => address.layer),
  run({ playhead }, changes, change) {
    const frame = playhead.get();
    for (const { address, value, whole, at = frame, from } of changes)
      change((project) =>
        whole
          ? scaleValue(project, address, at, fine(value), from)
          : setValue(project, address, at, fine(value)),
      );
  },
});

/** Keys values as they are at the playhead. */
export const keyValues = command<readonly CurveAddress[]>({
  name: 'Key the value',
  layer: (_, addresses) => addresses.map(({ layer }) => layer),
  run({ playhead }, addresses, change) {
    for (const address of addresses) change((project) => keyValue(project, address, playhead.get()));
  },
});

/** Sets a point of a curve at a frame. */
export const addPoint = command<{ address: CurveAddress; frame: number; value: number }>({
  name: 'Add a key',
  layer: itsLayer,
  run: (_, { address, frame, value }, change) =>
    change((project) => keyValue(project, address, frame, fine(value))),
});

/** Draws a curve through points. */
export const draw = command<{ address: CurveAddress; points: readonly (readonly [number, number])[] }>({
  name: 'Draw the curve',
  layer: itsLayer,
  run: (_, { address, points }, change) => change((project) => drawValue(project, address, points)),
});

/** Keys the lit layer's weight at the playhead, or that of the parts that are picked on the body map. */
export const keyLitWeight = command({
  name: 'Key the weight',
  palette: 'Layer',
  shortcut: 'Shift+Enter',
  layer: ({ session }) => session.getState().lit,
  run({ session, playhead }, _, change) {
    const { lit, parts } = session.getState();
    const addresses: CurveAddress[] =
      parts.length === 0
        ? [{ kind: 'weight', layer: lit }]
        : parts.map((part) => ({ kind: 'part', layer: lit, part }));
    for (const address of addresses) change((project) => keyValue(project, address, playhead.get()));
  },
});
