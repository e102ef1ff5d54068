import type { Stroke, StrokePoint } from '@evlay/core';
import { drawStrokes } from '@evlay/player/strokes';
import { type PointerEvent, useEffect, useRef, useState } from 'react';
import { perform } from '../commands/command.js';
import { setNoteStrokes } from '../commands/project/notes.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import { useSize } from './use-size.js';

/** How wide a stroke is where it is pressed in full, in heights of the view. */
const WIDE = 0.012;

/** What notes have drawn at this frame, over the view, and paper for the next one. */
export function NotesOverlay() {
  const open = useSession((state) => state.notes !== undefined);
  return open ? <Paper over={undefined} /> : null;
}

/** Paper over a picture: what notes have drawn there at this frame, and what is drawn for the next one. `over` names a reference. */
export function Paper({ over }: { over: string | undefined }) {
  const editor = useEditor();
  const notes = useProject((project) => project.notes);
  const seen = useSession((state) => state.notes);
  const canvas = useRef<HTMLCanvasElement>(null);
  const drawn = useRef<StrokePoint[]>(undefined);
  const [element, setElement] = useState<HTMLCanvasElement | null>(null);
  const { width, height } = useSize(element);

  useEffect(() => {
    const paint = () => {
      const context = canvas.current?.getContext('2d');
      // Before it has a size, and after each change of it, there is nothing on it.
      if (!context || !canvas.current || !seen || width * height === 0) return;
      const { width: w, height: h } = canvas.current;
      context.clearRect(0, 0, w, h);
      const frame = editor.playhead.get();
      for (const note of notes) {
        const away = Math.abs(note.frame - frame);
        if (note.over !== over || seen.without.includes(note.by)) continue;
        if ((note.done && !seen.done) || away > seen.around + 0.5) continue;
        // Those of frames around fade with how far they are.
        context.globalAlpha = away <= 0.5 ? 1 : 0.6 * (1 - away / (seen.around + 1));
        drawStrokes(context, w, h, note.strokes);
      }
      context.globalAlpha = 1;
      const now: Stroke[] = drawn.current ? [{ points: drawn.current, color: seen.ink, width: WIDE }] : [];
      drawStrokes(context, w, h, [...(seen.over === over ? seen.strokes : []), ...now]);
    };
    paint();
    const stop = editor.playhead.subscribe(paint);
    const element = canvas.current;
    element?.addEventListener('stroke', paint);
    return () => {
      stop();
      element?.removeEventListener('stroke', paint);
    };
  }, [editor, notes, seen, over, width, height]);

  const pointOf = (event: PointerEvent<HTMLCanvasElement>): StrokePoint => {
    const box = event.currentTarget.getBoundingClientRect();
    const pressure = event.pointerType === 'pen' ? event.pressure : 0.5;
    return [
      (event.clientX - box.left - box.width / 2) / box.height,
      (event.clientY - box.top - box.height / 2) / box.height,
      pressure,
    ];
  };
  const end = () => {
    const points = drawn.current;
    drawn.current = undefined;
    if (points && points.length > 0 && seen)
      perform(editor, setNoteStrokes, {
        strokes: [...(seen.over === over ? seen.strokes : []), { points, color: seen.ink, width: WIDE }],
        over,
      });
  };
  const pixels = window.devicePixelRatio;
  return (
    <canvas
      ref={(one) => {
        canvas.current = one;
        setElement(one);
      }}
      width={Math.round(width * pixels)}
      height={Math.round(height * pixels)}
      style={{
        position: 'absolute',
        inset: 0,
        width: '100%',
        height: '100%',
        pointerEvents: seen?.drawing ? 'auto' : 'none',
        cursor: 'crosshair',
        touchAction: 'none',
      }}
      aria-hidden
      data-notes
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        drawn.current = [pointOf(event)];
        event.currentTarget.dispatchEvent(new Event('stroke'));
      }}
      onPointerMove={(event) => {
        if (!drawn.current) return;
        drawn.current.push(pointOf(event));
        event.currentTarget.dispatchEvent(new Event('stroke'));
      }}
      onPointerUp={end}
      onPointerCancel={end}
    />
  );
}
