import { frameNumber, keyMarks, layerById } from '@evlay/core';
import type { Ease } from '@evlay/core/curve';
import { useContext, useEffect, useRef } from 'react';
import { useEditor } from '../../editor/context.js';
import { colorOf } from '../../theme/theme.js';
import { useTheme } from '../../theme/use-theme.js';
import { frameToX, type TimeScale } from '../../timeline/time-scale.js';
import { StripsContext } from './box.js';
import { keysFound, pickedFrames, type Strip, timeOfStrip } from './strip.js';

export interface KeyStripProps {
  readonly strip: Strip;
  /** What its keys are of, for readers. */
  readonly name: string;
  readonly scale: TimeScale;
  /** Height of the strip, and of a mark on it. */
  readonly height: number;
  readonly tall: number;
}

/** Width of a mark in pixels. */
const WIDE = 5;
/** So many frames are told to readers one by one. */
const TOLD = 12;

/**
 * A mark of keys, which shows how the curves go on from there: a bar where they are smooth, with a foot where the pose is
 * held, thin where they are straight, with a gap where they are shaped.
 */
function drawMark(
  context: CanvasRenderingContext2D,
  x: number,
  top: number,
  tall: number,
  ease: Ease | undefined,
  edge: string,
): void {
  const wide = ease === 'linear' ? WIDE - 2 : WIDE;
  context.fillRect(x - wide / 2, top, wide, tall);
  if (ease === 'hold') context.fillRect(x, top + tall - 2, WIDE + 2, 2);
  if (ease !== 'bezier') return;
  context.fillStyle = edge;
  context.fillRect(x - wide / 2, top + tall / 2 - 1, wide, 1.5);
}

/**
 * Keys on the time axis, those on one frame as one mark; those of a loop come round again, fainter. It is drawn on a
 * canvas and follows project and picks without rendering, since there can be thousands.
 */
export function KeyStrip({ strip, name, scale, height, tall }: KeyStripProps) {
  const editor = useEditor();
  const canvas = useRef<HTMLCanvasElement>(null);
  const strips = useContext(StripsContext);
  const theme = useTheme();
  const key = JSON.stringify(strip);

  // biome-ignore lint/correctness/useExhaustiveDependencies: the key says which strip it is
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const ratio = window.devicePixelRatio || 1;
    const [plain, lit, edge, part] = (['text', 'lamp', 'ground', 'alarm'] as const).map((one) =>
      colorOf(one, theme),
    );
    let inSight = true;
    let asked = 0;
    const draw = () => {
      asked = 0;
      const context = element.getContext('2d', { willReadFrequently: true });
      const layer = layerById(editor.history.project(), strip.layer);
      if (!context || !layer) return;
      context.setTransform(ratio, 0, 0, ratio, 0, 0);
      context.clearRect(0, 0, scale.width, height);
      const { frames, eases } = keysFound(layer, strip);
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
        drawMark(context, at, height - tall, tall, eases.get(own), edge);
        // A key between whole frames has a dot: one command brings it onto one.
        if (Math.abs(frame - Math.round(frame)) > 1e-6) {
          context.fillStyle = part;
          context.fillRect(at - 1.5, Math.max(0, height - tall - 2), 3, 3);
        }
        context.globalAlpha = 1;
      }
      const told = frames
        .slice(0, TOLD)
        .map((frame) => Math.round(100 * frameNumber(editor.history.project(), frame)) / 100);
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

  const ratio = window.devicePixelRatio || 1;
  return (
    <canvas
      ref={canvas}
      role="img"
      width={Math.round(scale.width * ratio)}
      height={height * ratio}
      style={{ display: 'block', width: scale.width, height, pointerEvents: 'none' }}
      data-strip
    />
  );
}
