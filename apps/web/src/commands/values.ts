import {
  addressKey,
  type CurveAddress,
  type KeyPick,
  layerById,
  type Project,
  type Scalar,
} from '@evlay/core';
import {
  type CurvesBefore,
  deletePicked,
  drawValue,
  keyValue,
  movePicked,
  scaleValue,
  setValue,
} from '@evlay/core/edit';
import { isPicked } from '../editor/follow.js';
import { command } from './command.js';

/** Four decimals are finer than any hand; more would only be noise in the file. */
const fine = (value: number): number => Math.round(value * 1e4) / 1e4;

/** A value to be set; with `whole`, a curve is scaled as a whole from what it was. */
export interface ValueChange {
  readonly address: CurveAddress;
  readonly value: number;
  readonly whole?: boolean;
  readonly from?: Scalar;
}

const itsLayer = (_: unknown, { address }: { readonly address: CurveAddress }) => address.layer;

/** Sets values of weights, placements and the like: everywhere, or with a key at the playhead where they are keyed. */
export const setValues = command<readonly ValueChange[]>({
  name: 'Set the value',
  layer: (_, changes) => changes[0]?.address.layer,
  run({ playhead }, changes, change) {
    const frame = playhead.get();
    for (const { address, value, whole, from } of changes)
      change((project) =>
        whole
          ? scaleValue(project, address, frame, fine(value), from)
          : setValue(project, address, frame, fine(value)),
      );
  },
});

/** Keys values as they are at the playhead. */
export const keyValues = command<readonly CurveAddress[]>({
  name: 'Key the value',
  layer: (_, addresses) => addresses[0]?.layer,
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
  keys: 'Shift+Enter',
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

/** Picks keys in place of those that are picked; with `more` beside them. One that is picked already stays so. */
export const pickKeys = command<{ picks: readonly KeyPick[]; more: boolean }>({
  name: 'Pick keys',
  looks: true,
  run({ session }, { picks, more }) {
    const before = session.getState().keys;
    const all = picks.every(({ address, keys }) =>
      keys.every((key) => isPicked(before, addressKey(address), key)),
    );
    if (all && picks.length > 0) return;
    session.setState({ keys: more ? joined([...before, ...picks]) : picks });
  },
});

/** Picks of one curve together. */
function joined(picks: readonly KeyPick[]): KeyPick[] {
  const byAddress = new Map<string, KeyPick>();
  for (const pick of picks) {
    const key = addressKey(pick.address);
    const before = byAddress.get(key)?.keys ?? [];
    byAddress.set(key, { ...pick, keys: [...new Set([...before, ...pick.keys])] });
  }
  return [...byAddress.values()];
}

/** Keys that are moved by frames of the project and by a value, from where they were when the drag began. */
export interface KeyMove {
  readonly picks: readonly KeyPick[];
  readonly by: number;
  readonly value?: number;
  readonly before?: CurvesBefore;
}

export const moveKeys = command<KeyMove>({
  name: 'Move keys',
  layer: (editor, { picks }) => lockedFirst(editor.history.project(), picks),
  run: (_, { picks, by, value, before }, change) =>
    change((project) => movePicked(project, picks, by, value, before)),
});

/** Of the layers of some keys one that is locked, if there is one. */
function lockedFirst(project: Project, picks: readonly KeyPick[]) {
  const layers = picks.map(({ address }) => address.layer);
  return layers.find((id) => layerById(project, id)?.locked) ?? layers[0];
}

export const deleteKeys = command({
  name: 'Delete the picked keys',
  keys: 'Delete, Backspace',
  layer: ({ session, history }) => lockedFirst(history.project(), session.getState().keys),
  run({ session }, _, change) {
    const { keys } = session.getState();
    if (keys.length > 0) change((project) => deletePicked(project, keys));
  },
});
