import { addressKey, type KeyMark, keyMarks, layerById } from '@evlay/core';
import type { MouseEvent, PointerEvent } from 'react';
import { perform } from '../../commands/command.js';
import { pickKeys } from '../../commands/keys/keys.js';
import { lightLayer } from '../../commands/stack/layers.js';
import { openMenu } from '../../controls/context-menu.js';
import { keyMenu } from '../../controls/key-menu.js';
import { useEditor, useSession } from '../../editor/context.js';
import { isPicked } from '../../editor/follow.js';
import { frameToX, type TimeScale } from '../../timeline/time-scale.js';
import { dragPickedKeys } from './drag-keys.js';
import { framesOfStrip, keysOfStrip, type Strip, timeOfStrip } from './strip.js';

/** How near to a key the pointer has to be, in pixels. */
const NEAR = 5;

/** What the pointer does with the keys of a strip. */
export interface StripKeys {
  /** Whether a key is under the pointer. */
  readonly isOn: (event: MouseEvent) => boolean;
  /** Picks the keys under the pointer and begins to drag them; false where there is none. */
  readonly grab: (event: PointerEvent) => boolean;
  /** Opens the menu of the keys under the pointer; false where there is none. */
  readonly menu: (event: MouseEvent) => boolean;
}

/** Keys of a strip under the pointer, on an element that is as wide as the time axis. */
export function useKeys(strip: Strip, scale: TimeScale): StripKeys {
  const editor = useEditor();
  const linked = useSession((state) => state.limbLinked);

  /** The key under the pointer. */
  const under = (event: MouseEvent): KeyMark | undefined => {
    const project = editor.history.project();
    const layer = layerById(project, strip.layer);
    if (!layer) return undefined;
    const x = event.clientX - event.currentTarget.getBoundingClientRect().left;
    const frames = framesOfStrip(layer, strip);
    const marks = keyMarks(timeOfStrip(project, layer, strip), frames, scale.from, scale.to);
    const far = (mark: KeyMark) => Math.abs(frameToX(scale, mark.frame) - x);
    let near: KeyMark | undefined;
    for (const mark of marks) if (!near || far(mark) < far(near)) near = mark;
    return near && far(near) <= NEAR ? near : undefined;
  };

  const keysAt = (own: number) =>
    keysOfStrip(editor.history.project(), strip, (frame) => frame === own, linked);

  return {
    isOn: (event) => under(event) !== undefined,
    grab(event) {
      const mark = event.button === 0 ? under(event) : undefined;
      if (!mark) return false;
      perform(editor, lightLayer, strip.layer);
      perform(editor, pickKeys, { picks: keysAt(mark.own), more: event.shiftKey });
      dragPickedKeys(editor, event, scale, mark.frame);
      return true;
    },
    menu(event) {
      const mark = under(event);
      if (!mark) return false;
      perform(editor, lightLayer, strip.layer);
      const picks = keysAt(mark.own);
      const before = editor.session.getState().keys;
      // One that is picked already is meant with all the others.
      const all = picks.every(({ address, keys }) =>
        keys.every((id) => isPicked(before, addressKey(address), id)),
      );
      if (!all) perform(editor, pickKeys, { picks, more: false });
      openMenu(event, keyMenu(editor));
      return true;
    },
  };
}
