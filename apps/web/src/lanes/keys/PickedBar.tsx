import { curvesOf } from '@evlay/core/edit';
import type { PointerEvent } from 'react';
import { scaleKeys } from '../../commands/keys/keys.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { startDrag } from '../../gestures/gesture.js';
import { framesPerPixel, frameToX, type TimeScale } from '../../timeline/time-scale.js';
import { dragPickedKeys } from './drag-keys.js';
import { pickedEnds } from './picked-ends.js';

/** The least that keys are scaled to: they keep their order. */
const LEAST = 0.01;

/**
 * A bar over the frames on which keys are picked, below the ruler. Its ends scale the keys about the other end, with Alt
 * about the playhead; between them it moves them.
 */
export function PickedBar({ scale, left, top }: { scale: TimeScale; left: number; top: number }) {
  const editor = useEditor();
  const picks = useSession((state) => state.keys);
  const first = useProject((project) => pickedEnds(project, picks)?.[0]);
  const last = useProject((project) => pickedEnds(project, picks)?.[1]);
  if (first === undefined || last === undefined || last - first < 1e-6) return null;
  const [x0, x1] = [first, last].map((frame) => frameToX(scale, frame));
  if (x1 < 0 || x0 > scale.width) return null;

  const grabEnd = (event: PointerEvent, end: number, other: number) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    const before = curvesOf(editor.history.project(), picks);
    startDrag(editor, event, {
      command: scaleKeys,
      to(dx, _, { altKey }) {
        const about = altKey ? editor.playhead.get() : other;
        const to = Math.round(end + dx * framesPerPixel(scale));
        const from = Math.abs(end - about) < 1e-6 ? 1 : end - about;
        return { picks, factor: Math.max(LEAST, (to - about) / from), about, before };
      },
    });
  };
  const grabAll = (event: PointerEvent) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    dragPickedKeys(editor, event, scale);
  };
  const handle = (x: number, end: number, other: number, name: string) => (
    <rect
      x={x - 4}
      y={0}
      width={8}
      height={8}
      rx={2}
      fill="var(--evlay-colors-lamp)"
      style={{ cursor: 'ew-resize' }}
      data-does="Drag to scale the picked keys about the other end; Alt: about the playhead"
      onPointerDown={(event) => grabEnd(event, end, other)}
    >
      <title>{name}</title>
    </rect>
  );
  return (
    <svg
      width={scale.width}
      height={8}
      style={{
        position: 'absolute',
        left,
        top,
        overflow: 'hidden',
        touchAction: 'none',
        zIndex: 2,
        pointerEvents: 'none',
      }}
      aria-hidden="true"
      data-picked-bar
    >
      <g style={{ pointerEvents: 'auto' }}>
        <rect
          x={x0}
          y={1.5}
          width={x1 - x0}
          height={5}
          fill="var(--evlay-colors-lamp)"
          fillOpacity={0.45}
          style={{ cursor: 'grab' }}
          data-does="Drag to move the picked keys, with Ctrl copies of them"
          onPointerDown={grabAll}
        />
        {handle(x0, first, last, 'first picked key')}
        {handle(x1, last, first, 'last picked key')}
      </g>
    </svg>
  );
}
