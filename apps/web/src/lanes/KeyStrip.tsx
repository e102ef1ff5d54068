import { addressKey, keyMarks, layerById } from '@evlay/core';
import { curvesOf } from '@evlay/core/edit';
import { type MouseEvent, type PointerEvent, useContext, useEffect, useRef } from 'react';
import { perform } from '../commands/command.js';
import { lightLayer } from '../commands/layers.js';
import { moveKeys, pickKeys } from '../commands/values.js';
import { openMenu } from '../controls/context-menu.js';
import { useEditor, useSession } from '../editor/context.js';
import { isPicked } from '../editor/follow.js';
import { startDrag } from '../gestures/gesture.js';
import { colorOf } from '../theme/theme.js';
import { useTheme } from '../theme/use-theme.js';
import { framesPerPixel, frameToX, type TimeScale } from '../timeline/time-scale.js';
import { StripsContext } from './box.js';
import { keyMenu } from './menus.js';
import { framesOfStrip, keysOfStrip, pickedFrames, type Strip, timeOfStrip } from './strip.js';

interface KeyStripProps {
  readonly strip: Strip;
  /** What its keys are of, for readers. */
  readonly name: string;
  readonly scale: TimeScale;
  /** Height of the strip, and of a mark on it. */
  readonly height: number;
  readonly tall: number;
}

/** Width of a mark, and how near to one the pointer has to be, in pixels. */
const WIDE = 5;
const NEAR = 5;
/** So many frames are told to readers one by one. */
const TOLD = 12;

/**
 * Keys on the time axis, those on one frame as one mark; those of a loop come round again, fainter. It is drawn on a
 * canvas and follows project and picks without rendering, since there can be thousands.
 */
export function KeyStrip({ strip, name, scale, height, tall }: KeyStripProps) {
  const editor = useEditor();
  const canvas = useRef<HTMLCanvasElement>(null);
  const strips = useContext(StripsContext);
  const theme = useTheme();
  const linked = useSession((state) => state.limbLinked);
  const key = JSON.stringify(strip);

  // biome-ignore lint/correctness/useExhaustiveDependencies: the key says which strip it is
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const ratio = window.devicePixelRatio || 1;
    const [plain, lit, edge] = (['text', 'lamp', 'ground'] as const).map((one) => colorOf(one, theme));
    let inSight = true;
    let asked = 0;
    const draw = () => {
      asked = 0;
      const context = element.getContext('2d');
      const layer = layerById(editor.history.project(), strip.layer);
      if (!context || !layer) return;
      context.setTransform(ratio, 0, 0, ratio, 0, 0);
      context.clearRect(0, 0, scale.width, height);
      const frames = framesOfStrip(layer, strip);
      const picked = pickedFrames(layer, strip, editor.session.getState().keys);
      const marks = keyMarks(
        timeOfStrip(editor.history.project(), layer, strip),
        frames,
        scale.from,
        scale.to,
      );
      let last = Number.NaN;
      for (const { own, frame, round } of marks) {
        const x = frameToX(scale, frame);
        if (x < -WIDE || x > scale.width + WIDE) continue;
        const on = picked.has(own);
        const at = Math.round(2 * x) / 2;
        if (at === last && !on) continue;
        last = at;
        context.fillStyle = edge;
        context.fillRect(at - WIDE / 2 - 1, height - tall - 1, WIDE + 2, tall + 1);
        context.globalAlpha = round === 0 ? 1 : 0.45;
        context.fillStyle = on ? lit : plain;
        context.fillRect(at - WIDE / 2, height - tall, WIDE, tall);
        context.globalAlpha = 1;
      }
      const told = frames.slice(0, TOLD).map((frame) => Math.round(100 * frame) / 100);
      const more = frames.length > TOLD ? ` and ${frames.length - TOLD} more` : '';
      const label =
        frames.length === 0 ? `No keys of ${name}` : `Keys of ${name} at ${told.join(', ')}${more}`;
      if (element.ariaLabel !== label) element.ariaLabel = label;
    };
    const ask = () => {
      if (inSight && asked === 0) asked = requestAnimationFrame(draw);
    };
    draw();
    const seen = new IntersectionObserver(([entry]) => {
      inSight = entry.isIntersecting;
      ask();
    });
    seen.observe(element);
    const stops = [
      editor.history.store.subscribe((now, before) => {
        if (layerById(now.project, strip.layer) !== layerById(before.project, strip.layer)) ask();
      }),
      editor.session.subscribe((now, before) => now.keys !== before.keys && ask()),
      strips.add({ element, strip }),
    ];
    return () => {
      cancelAnimationFrame(asked);
      seen.disconnect();
      for (const stop of stops) stop();
    };
  }, [editor, strips, key, name, scale, height, tall, theme]);

  /** The own frame of the key under the pointer. */
  const under = (event: { clientX: number }): number | undefined => {
    const project = editor.history.project();
    const layer = layerById(project, strip.layer);
    if (!layer || !canvas.current) return undefined;
    const x = event.clientX - canvas.current.getBoundingClientRect().left;
    const marks = keyMarks(
      timeOfStrip(project, layer, strip),
      framesOfStrip(layer, strip),
      scale.from,
      scale.to,
    );
    const far = (frame: number) => Math.abs(frameToX(scale, frame) - x);
    const near = marks.reduce<(typeof marks)[number] | undefined>(
      (best, mark) => (best && far(best.frame) <= far(mark.frame) ? best : mark),
      undefined,
    );
    return near && far(near.frame) <= NEAR ? near.own : undefined;
  };

  const keysAt = (own: number) =>
    keysOfStrip(editor.history.project(), strip, (frame) => frame === own, linked);

  const grab = (event: PointerEvent) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    perform(editor, lightLayer, strip.layer);
    const own = under(event);
    if (own === undefined) {
      strips.box(event);
      return;
    }
    perform(editor, pickKeys, { picks: keysAt(own), more: event.shiftKey });
    const picks = editor.session.getState().keys;
    const before = curvesOf(editor.history.project(), picks);
    startDrag(editor, event, {
      command: moveKeys,
      to: (dx, _, { ctrlKey, metaKey }) => ({
        picks,
        by: Math.round(dx * framesPerPixel(scale)),
        copies: ctrlKey || metaKey,
        before,
      }),
    });
  };

  const menu = (event: MouseEvent) => {
    const own = under(event);
    if (own === undefined) return;
    event.stopPropagation();
    perform(editor, lightLayer, strip.layer);
    const picks = keysAt(own);
    const before = editor.session.getState().keys;
    // One that is picked already is meant with all the others.
    const all = picks.every(({ address, keys }) =>
      keys.every((id) => isPicked(before, addressKey(address), id)),
    );
    if (!all) perform(editor, pickKeys, { picks, more: false });
    openMenu(event, keyMenu(editor));
  };

  const ratio = window.devicePixelRatio || 1;
  return (
    <canvas
      ref={canvas}
      role="img"
      width={Math.round(scale.width * ratio)}
      height={height * ratio}
      style={{ display: 'block', width: scale.width, height, touchAction: 'none' }}
      data-strip
      data-does="Drag a key to move it, with Ctrl a copy; Shift: pick it too; drag beside keys: a box; right click: more"
      onPointerMove={(event) => {
        event.currentTarget.style.cursor = under(event) === undefined ? 'crosshair' : 'ew-resize';
      }}
      onPointerDown={grab}
      onContextMenu={menu}
    />
  );
}
