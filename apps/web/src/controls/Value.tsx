import { addressKey, type CurveAddress, ownerById, rangeOfAddress, scalarAtAddress } from '@evlay/core';
import { valueAt } from '@evlay/core/edit';
import { useRef } from 'react';
import { setValues, type ValueChange } from '../commands/keys/values.js';
import { useEditor } from '../editor/context.js';
import { typedFactor, typedNumber, type Units } from '../ui/number-text.js';
import { sameItems } from '../ui/same-items.js';
import { DragNumber } from './DragNumber.js';

interface ValueProps {
  readonly label: string;
  /** The addresses that it changes together; the first is the one that it shows. */
  readonly addresses: readonly CurveAddress[];
  readonly step?: number;
  readonly decimals?: number;
  readonly width?: string;
  readonly units?: Units;
  /** How much of it counts at a frame, such as the fades of a span: what counts is shown and set. All of it if not said. */
  readonly counts?: (frame: number) => number;
}

const PARTS: Units = { '%': 0.01 };

/** Below this a number that counts says nothing about the one that stands there. */
const TOO_LITTLE = 0.05;

/** What stands at an address at the playhead, as a number to drag; with Alt a whole curve is scaled. */
export function Value({
  label,
  addresses,
  step = 0.01,
  decimals = 2,
  width,
  units = PARTS,
  counts,
}: ValueProps) {
  const editor = useEditor();
  const project = () => editor.history.project();
  const [shown] = addresses;
  const now = (address: CurveAddress) => valueAt(project(), address, editor.playhead.get());
  const layer = ownerById(project(), shown.layer);
  // A layer is the same object until it changes: at the same frame the number is the same.
  const known = useRef<{ readonly of: readonly unknown[]; readonly value: number }>(undefined);
  const name = addressKey(shown);
  const read = () => {
    const of = [ownerById(project(), shown.layer), editor.playhead.get(), name, counts];
    if (!known.current || !sameItems(known.current.of, of))
      known.current = { of, value: part() * now(shown) };
    return known.current.value;
  };
  const part = () => counts?.(editor.playhead.get()) ?? 1;
  const [min, max] = layer ? rangeOfAddress(layer, shown) : [0, 1];
  const start = (): readonly ValueChange[] =>
    addresses.map((address) => {
      const owner = ownerById(project(), address.layer);
      return { address, value: now(address), from: owner && scalarAtAddress(owner, address) };
    });
  const several = addresses.length > 1;
  // Of several a factor is that of each, and any other number what the first comes to, with which the others go.
  const typed = (text: string): readonly ValueChange[] | undefined => {
    const from = start();
    const factor = typedFactor(text);
    if (factor !== undefined) return from.map((one) => ({ ...one, value: one.value * factor }));
    const number = typedNumber(text, from[0].value, units);
    return number === undefined
      ? undefined
      : from.map((one) => ({ ...one, value: one.value + number - from[0].value }));
  };
  return (
    <DragNumber
      label={label}
      read={read}
      live
      min={Number.isFinite(min) ? min : undefined}
      max={Number.isFinite(max) ? max : undefined}
      step={step}
      decimals={decimals}
      width={width}
      units={units}
      command={setValues}
      start={start}
      to={(value, whole, from = start()) => {
        const by = value - part() * from[0].value;
        const more = part() < TOO_LITTLE ? by : by / part();
        return from.map((one) => ({ ...one, value: one.value + more, whole }));
      }}
      toTyped={several ? typed : undefined}
    />
  );
}
