import { curveAtAddress, keyAt, layerById } from '@evlay/core';
import { useEffect } from 'react';
import { useEditor } from '../editor/context.js';
import type { PartShape } from './map-shapes.js';

/** Marks the parts that are keyed on the lit layer, and those that have a key at the playhead, past React. */
export function useKeyed(
  svg: React.RefObject<SVGSVGElement | null>,
  lit: string,
  shapes: readonly PartShape[],
): void {
  const { stage, history, playhead } = useEditor();
  useEffect(() => {
    const marks = shapes.map(({ part }) => ({
      part,
      mark: svg.current?.querySelector<SVGElement>(`[data-keyed="${CSS.escape(part)}"]`),
      shown: '',
    }));
    const show = () => {
      const layer = layerById(history.project(), lit);
      for (const entry of marks) {
        const curve = layer && curveAtAddress(layer, { kind: 'part', layer: lit, part: entry.part });
        const shown = !curve ? 'none' : keyAt(curve, playhead.get()) ? 'here' : 'keyed';
        if (shown === entry.shown) continue;
        entry.shown = shown;
        entry.mark?.setAttribute('visibility', shown === 'none' ? 'hidden' : 'visible');
        entry.mark?.setAttribute('fill', `var(--evlay-colors-${shown === 'here' ? 'lamp' : 'panel'})`);
      }
    };
    show();
    return stage.subscribe(show);
  }, [stage, history, playhead, svg, lit, shapes]);
}
