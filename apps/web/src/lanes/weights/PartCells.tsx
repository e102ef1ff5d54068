import { layerIndex } from '@evlay/core';
import { partAlphas } from '@evlay/core/evaluate';
import { partLabel, partNames } from '@evlay/core/rig';
import { useEffect, useMemo, useRef } from 'react';
import { useCharacterParts, useEditor, useProject } from '../../editor/context.js';
import { colorOf } from '../../theme/theme.js';
import { useTheme } from '../../theme/use-theme.js';
import { sameItems } from '../../ui/same-items.js';

const CELL = 6;
const TALL = 12;

/** Pixels that a strip of cells takes for a number of parts. */
export const cellsWidth = (parts: number): number => parts * CELL - 1;

/** A cell for each part, filled as far as the layer counts there at this frame. */
export function PartCells({ id }: { id: string }) {
  const { stage } = useEditor();
  const parts = useCharacterParts();
  const color = useProject((project) => project.layers[layerIndex(project, id)]?.color);
  const order = useMemo(() => partNames(parts), [parts]);
  const theme = useTheme();
  const canvas = useRef<HTMLCanvasElement>(null);

  useEffect(() => {
    const empty = colorOf('line', theme);
    const full = color ?? colorOf('quiet', theme);
    const alphas = new Float64Array(order.length);
    const drawn = new Float64Array(order.length).fill(Number.NaN);
    const context = canvas.current?.getContext('2d', { willReadFrequently: true });
    /** What was looked at last: a layer that is compiled anew, on or off, at another frame counts otherwise. */
    let known: readonly unknown[] = [];
    const ratio = window.devicePixelRatio || 1;
    const draw = () => {
      const shown = stage.get();
      const index = layerIndex(shown.project, id);
      if (!context || index < 0) return;
      const of = [shown.stack.layers[index], shown.stack.live[index], shown.frame];
      if (sameItems(of, known)) return;
      known = of;
      partAlphas(shown.stack, shown.stack.layers[index], order, shown.frame, alphas);
      context.setTransform(ratio, 0, 0, ratio, 0, 0);
      for (let k = 0; k < order.length; k++) {
        // A cell is drawn again when it is filled to another pixel.
        const filled = Math.round(Math.min(1, alphas[k]) * TALL * ratio) / ratio;
        if (filled === drawn[k]) continue;
        drawn[k] = filled;
        context.fillStyle = empty;
        context.fillRect(k * CELL, 0, CELL - 1, TALL);
        context.fillStyle = full;
        context.fillRect(k * CELL, TALL - filled, CELL - 1, filled);
      }
    };
    draw();
    return stage.subscribe(draw);
  }, [stage, id, order, color, theme]);

  const width = cellsWidth(order.length);
  const ratio = window.devicePixelRatio || 1;
  return (
    <canvas
      ref={canvas}
      width={Math.round(width * ratio)}
      height={TALL * ratio}
      style={{ width, height: TALL, flex: 'none' }}
      title={`Counts in, from left: ${order.map(partLabel).join(', ')}`}
    />
  );
}
