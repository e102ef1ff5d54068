import { layerWeight } from '@evlay/core/evaluate';
import type { LayerLine } from '../editor/session.js';
import type { Shown } from '../editor/stage.js';

/** The layers above the base that play at all, from the lowest up, with what each weighs at the frame that is shown. */
export const layerLines = ({ stack, project, frame }: Shown): LayerLine[] =>
  stack.layers.flatMap((compiled, k) => {
    const { layer } = compiled;
    if (layer.id === project.layers[0].id || !stack.live[k]) return [];
    return [{ name: layer.name, color: layer.color, weight: layerWeight(compiled, frame) }];
  });
