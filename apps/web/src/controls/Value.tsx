import { type CurveAddress, layerById, rangeOfAddress, scalarAtAddress } from '@evlay/core';
import { valueAt } from '@evlay/core/edit';
import { setValues, type ValueChange } from '../commands/values.js';
import { useEditor } from '../editor/context.js';
import { DragNumber } from './DragNumber.js';

interface ValueProps {
  readonly label: string;
  /** The addresses that it changes together; the first is the one that it shows. */
  readonly addresses: readonly CurveAddress[];
  readonly step?: number;
  readonly decimals?: number;
  readonly width?: string;
}

/** What stands at an address at the playhead, as a number to drag; with Alt a whole curve is scaled. */
export function Value({ label, addresses, step = 0.01, decimals = 2, width }: ValueProps) {
  const editor = useEditor();
  const project = () => editor.history.project();
  const [shown] = addresses;
  const now = (address: CurveAddress) => valueAt(project(), address, editor.playhead.get());
  const layer = layerById(project(), shown.layer);
  const [min, max] = layer ? rangeOfAddress(layer, shown) : [0, 1];
  const start = (): readonly ValueChange[] =>
    addresses.map((address) => {
      const owner = layerById(project(), address.layer);
      return { address, value: now(address), from: owner && scalarAtAddress(owner, address) };
    });
  return (
    <DragNumber
      label={label}
      read={() => now(shown)}
      live
      min={Number.isFinite(min) ? min : undefined}
      max={Number.isFinite(max) ? max : undefined}
      step={step}
      decimals={decimals}
      width={width}
      command={setValues}
      start={start}
      to={(value, whole, from = start()) =>
        from.map((one) => ({ ...one, value: one.value + value - from[0].value, whole }))
      }
    />
  );
}
