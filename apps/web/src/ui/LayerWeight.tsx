import { type Layer, layerById, maxWeight, scaleWeight, setWeight, weightAt } from '@evlay/core';
import { playhead } from '../state/playhead.js';
import { currentProject, edit } from '../state/project-store.js';
import { DragNumber } from './DragNumber.js';

/** The weight of a layer at the playhead, as a number to drag; with Alt its whole curve is scaled. */
export function LayerWeight({ layer, label }: { layer: Layer; label: string }) {
  const read = () => {
    const now = layerById(currentProject(), layer.id);
    return now ? weightAt(now, playhead.get()) : 0;
  };
  return (
    <DragNumber
      label={label}
      read={read}
      live
      min={0}
      max={maxWeight(layer.mode)}
      step={0.01}
      decimals={2}
      disabled={layer.locked}
      onChange={(value, { alt, drag }) =>
        edit(
          (project) => (alt ? scaleWeight : setWeight)(project, { layer: layer.id }, playhead.get(), value),
          drag,
        )
      }
    />
  );
}
