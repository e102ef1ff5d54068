import { type CompiledLayer, channelAddresses, type Layer, ownTime } from '@evlay/core';
import { largestAlpha, layerWeight } from '@evlay/core/evaluate';
import { memo, useMemo } from 'react';
import { perform } from '../commands/command.js';
import { lightLayer } from '../commands/layers.js';
import { openMenu } from '../controls/context-menu.js';
import { useEditor, useProject } from '../editor/context.js';
import type { TimeScale } from '../timeline/time-scale.js';
import { ContactLane } from './ContactLane.js';
import { CurveShape } from './CurveShape.js';
import { KeyMarks } from './KeyMarks.js';
import { layerMenu } from './menus.js';
import { SpanHandles } from './SpanHandles.js';
import { cornersOf, topWeight, valueLine } from './weight-shape.js';

interface LaneTrackProps {
  readonly compiled: CompiledLayer;
  /** The layer as it is kept, without a pose that is tried on it. */
  readonly layer: Layer;
  /** Whether it is switched on. */
  readonly on: boolean;
  readonly lit: boolean;
  readonly base: boolean;
  readonly scale: TimeScale;
  readonly height: number;
}

/**
 * One layer over time. The shape is what counts, weight times fades in the part where that is most; the line is the
 * layer's own weight times fades. Keys stand as marks along the bottom.
 */
export const LaneTrack = memo(function LaneTrack(props: LaneTrackProps) {
  const { compiled, layer, on, lit, base, scale, height } = props;
  const editor = useEditor();
  const fps = useProject((project) => project.fps);
  const top = topWeight(compiled);
  const [line, shape] = useMemo(() => {
    const { mask, joints } = compiled.layer;
    const within = [...Object.values(mask ?? {}), ...Object.values(joints ?? {})];
    const corners = cornersOf([compiled.layer.weight], compiled.layer.span);
    const own = valueLine((frame) => layerWeight(compiled, frame), corners, scale, height, top);
    if (!mask && !joints) return [own, own];
    const all = [...corners, ...cornersOf(within)];
    return [own, valueLine((frame) => largestAlpha(compiled, frame), all, scale, height, top)];
  }, [compiled, scale, height, top]);
  const addresses = useMemo(() => channelAddresses(layer), [layer]);
  const time = useMemo(() => ownTime(layer, undefined, fps), [layer, fps]);
  const idle = !base && layer.content.kind === 'nothing';
  const color = layer.color ?? 'var(--evlay-colors-quiet)';
  return (
    // biome-ignore lint/a11y/noSvgWithoutTitle: what has the focus in it is named; a title would hang on the pointer
    <svg
      width={scale.width}
      height={height}
      style={{ display: 'block', flex: 'none', opacity: on ? 1 : 0.35, touchAction: 'none' }}
      aria-hidden={!(base && lit)}
      data-does={
        lit ? undefined : 'Click to light the layer: it then takes keys, and its shape can be dragged'
      }
      onPointerDown={() => perform(editor, lightLayer, layer.id)}
      onContextMenu={(event) => {
        perform(editor, lightLayer, layer.id);
        openMenu(event, layerMenu(editor, layer));
      }}
    >
      <CurveShape
        address={{ kind: 'weight', layer: layer.id }}
        line={line}
        shape={shape}
        scale={scale}
        height={height}
        top={top}
        color={color}
        fillOpacity={base ? 0.12 : idle ? 0.06 : lit ? 0.4 : 0.3}
        idle={idle}
        live={lit}
      />
      {base && <ContactLane compiled={compiled} lit={lit} scale={scale} height={height} />}
      {lit && !base && <SpanHandles layer={layer} scale={scale} height={height} />}
      <KeyMarks
        layer={layer}
        addresses={addresses}
        time={time}
        scale={scale}
        height={height}
        tall={lit ? 13 : 6}
      />
    </svg>
  );
});
