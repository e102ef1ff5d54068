import {
  addressKey,
  type CurveAddress,
  curveAtAddress,
  keyMarks,
  keysOn,
  type Layer,
  type OwnTime,
} from '@evlay/core';
import { curvesOf } from '@evlay/core/edit';
import { type PointerEvent, useMemo } from 'react';
import { perform } from '../commands/command.js';
import { lightLayer } from '../commands/layers.js';
import { moveKeys, pickKeys } from '../commands/values.js';
import { openMenu } from '../controls/context-menu.js';
import { useEditor, useSession } from '../editor/context.js';
import { isPicked } from '../editor/follow.js';
import { startDrag } from '../gestures/gesture.js';
import { framesPerPixel, frameToX, type TimeScale } from '../timeline/time-scale.js';
import { KEY_MENU } from './menus.js';

interface KeyMarksProps {
  readonly layer: Layer;
  /** The curves whose keys are shown: those on one frame as one mark. */
  readonly addresses: readonly CurveAddress[];
  /** By which their keys are counted. */
  readonly time: OwnTime;
  readonly scale: TimeScale;
  readonly height: number;
  readonly tall: number;
}

/** Keys of several curves as marks along the bottom; those of a loop come round again, fainter. */
export function KeyMarks({ layer, addresses, time, scale, height, tall }: KeyMarksProps) {
  const editor = useEditor();
  const picked = useSession((state) => state.keys);
  const columns = useMemo(() => {
    const found = new Map<number, string[]>();
    for (const address of addresses) {
      const of = addressKey(address);
      for (const { frame, id } of curveAtAddress(layer, address)?.keys ?? [])
        found.set(frame, [...(found.get(frame) ?? []), `${of} ${id}`]);
    }
    return found;
  }, [layer, addresses]);
  const marks = useMemo(
    () =>
      keyMarks(
        time,
        [...columns.keys()].sort((a, b) => a - b),
        scale.from,
        scale.to,
      ),
    [time, columns, scale.from, scale.to],
  );

  const grab = (event: PointerEvent, own: number) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    perform(editor, lightLayer, layer.id);
    const column = keysOn(layer, addresses, (frame) => frame === own);
    perform(editor, pickKeys, { picks: column, more: event.shiftKey });
    const picks = editor.session.getState().keys;
    const before = curvesOf(editor.history.project(), picks);
    startDrag(editor, event, {
      command: moveKeys,
      to: (dx) => ({ picks, by: Math.round(dx * framesPerPixel(scale)), before }),
    });
  };

  const isOn = (own: number) =>
    keysOn(layer, addresses, (frame) => frame === own).some(({ address, keys }) =>
      keys.some((key) => isPicked(picked, addressKey(address), key)),
    );

  return marks.map(({ own, frame, round }) => {
    const x = frameToX(scale, frame);
    if (x < -6 || x > scale.width + 6) return null;
    return (
      // biome-ignore lint/a11y/noStaticElementInteractions: the drawing is hidden from readers; Ctrl with the arrows goes from key to key
      <rect
        key={`${own} ${round}`}
        x={x - 2.5}
        y={height - tall}
        width={5}
        height={tall}
        rx={2}
        fill={picked.length > 0 && isOn(own) ? 'var(--evlay-colors-lamp)' : 'var(--evlay-colors-text)'}
        fillOpacity={round === 0 ? 1 : 0.45}
        stroke="var(--evlay-colors-ground)"
        strokeWidth={1}
        style={{ cursor: 'ew-resize' }}
        data-does="Drag to move the keys of this frame; Shift: pick them too; Delete: take them out; right click: more"
        onContextMenu={(event) => {
          event.stopPropagation();
          const picks = keysOn(layer, addresses, (at) => at === own);
          perform(editor, lightLayer, layer.id);
          perform(editor, pickKeys, { picks, more: false });
          openMenu(event, KEY_MENU);
        }}
        onPointerDown={(event) => grab(event, own)}
        onDoubleClick={(event) => event.stopPropagation()}
      >
        <title>{`key at ${Math.round(frame * 100) / 100}${round === 0 ? '' : ', come round again'}`}</title>
      </rect>
    );
  });
}
