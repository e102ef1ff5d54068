import { useContext } from 'react';
import { perform } from '../../commands/command.js';
import { lightLayer } from '../../commands/stack/layers.js';
import { useEditor } from '../../editor/context.js';
import { StripsContext } from './box.js';
import { KeyStrip, type KeyStripProps } from './KeyStrip.js';
import { useKeys } from './use-keys.js';

/** A strip of keys of its own: a drag on a key moves it, a drag beside keys is a box. */
export function KeyRow(props: KeyStripProps) {
  const { strip, scale } = props;
  const editor = useEditor();
  const strips = useContext(StripsContext);
  const keys = useKeys(strip, scale);
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: keys are reached by K and moved by comma and period
    <div
      style={{ touchAction: 'none' }}
      data-does="Drag a key to move it, with Ctrl a copy; Shift: pick it too; drag beside keys: a box; right click: more"
      onPointerMove={(event) => {
        event.currentTarget.style.cursor = keys.isOn(event) ? 'ew-resize' : 'crosshair';
      }}
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        event.stopPropagation();
        perform(editor, lightLayer, strip.layer);
        if (!keys.grab(event)) strips.box(event);
      }}
      onContextMenu={(event) => {
        if (keys.menu(event)) event.stopPropagation();
      }}
    >
      <KeyStrip {...props} />
    </div>
  );
}
