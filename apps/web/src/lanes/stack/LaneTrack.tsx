import { Box } from '@chakra-ui/react';
import { groupById, isLive, layerById, layerIndex } from '@evlay/core';
import { largestAlpha, layerWeight } from '@evlay/core/evaluate';
import { memo, type PointerEvent, useContext, useEffect, useMemo, useRef } from 'react';
import { useShallow } from 'zustand/react/shallow';
import { perform } from '../../commands/command.js';
import { lightLayer } from '../../commands/stack/layers.js';
import { openMenu } from '../../controls/context-menu.js';
import { useEditor, useProject, useSeen, useSeenLayer, useSession } from '../../editor/context.js';
import { type TimeScale, xToFrame } from '../../timeline/time-scale.js';
import { StripsContext } from '../keys/box.js';
import { KeyStrip } from '../keys/KeyStrip.js';
import { useKeys } from '../keys/use-keys.js';
import { layerMenu } from '../menus.js';
import { ContactLane } from '../weights/ContactLane.js';
import { CurveShape } from '../weights/CurveShape.js';
import { HeadroomBar, HeadroomLine } from '../weights/HeadroomLine.js';
import { HeldLane } from '../weights/HeldLane.js';
import { KeyedLane } from '../weights/KeyedLane.js';
import { SpanHandles } from '../weights/SpanHandles.js';
import { cornersOf, topWeight, valueLine, weightToY } from '../weights/weight-shape.js';

interface LaneTrackProps {
  readonly id: string;
  readonly lit: boolean;
  readonly scale: TimeScale;
  readonly height: number;
}

/** Height of the strip of keys at the lower edge of a lane, where it is lit and where it is not. */
const STRIP = { lit: 15, slim: 7 };

/**
 * One layer over time. The shape is what counts, weight times fades in the part where that is most; the line is the
 * layer's own weight times fades. Keys stand along the bottom. It renders when what counts changes, not with keys.
 */
export const LaneTrack = memo(function LaneTrack({ id, lit, scale, height }: LaneTrackProps) {
  const editor = useEditor();
  const strips = useContext(StripsContext);
  const svg = useRef<SVGSVGElement>(null);
  const { index, on, name, color, kind } = useProject(
    useShallow((project) => {
      const layer = layerById(project, id);
      const at = layerIndex(project, id);
      return {
        index: at,
        on: at >= 0 && isLive(project.layers, project.groups, at),
        name: layer?.name ?? '',
        color: layer?.color ?? 'var(--evlay-colors-quiet)',
        kind: layer?.content.kind,
      };
    }),
  );
  const base = index === 0;
  // What counts: the rest of a layer changes nothing of the shape. The base is read anew with its take.
  const { weight, span, mask, joints, mode, time, content, group } = useSeenLayer(id, (layer) => ({
    weight: layer?.weight,
    span: layer?.span,
    mask: layer?.mask,
    joints: layer?.joints,
    mode: layer?.mode,
    time: layer?.time,
    content: layer?.content.kind === 'take' ? layer.content : undefined,
    group: layer?.group,
  }));
  const groupWeight = useSeen((project) => groupById(project, group ?? '')?.weight ?? 1);
  // biome-ignore lint/correctness/useExhaustiveDependencies: these say when what is compiled counts otherwise
  const compiled = useMemo(
    () => editor.stage.get().stack.layers.find(({ layer }) => layer.id === id),
    [editor, id, weight, span, mask, joints, mode, time, content, groupWeight],
  );
  const roomy = useSession(({ headroom }) => headroom?.layer === id && headroom.part === undefined);
  const [line, shape, top] = useMemo(() => {
    if (!compiled || weight === undefined) return ['', '', 1];
    // What a layer could be turned up to is shown to the largest weight that there is.
    const most = roomy ? compiled.maxWeight : topWeight(compiled);
    const corners = cornersOf([weight, groupWeight], span);
    const own = valueLine((frame) => layerWeight(compiled, frame), corners, scale, height, most);
    if (!mask && !joints) return [own, own, most];
    const within = cornersOf([...Object.values(mask ?? {}), ...Object.values(joints ?? {})]);
    const all = [...corners, ...within];
    return [own, valueLine((frame) => largestAlpha(compiled, frame), all, scale, height, most), most];
  }, [compiled, weight, groupWeight, span, mask, joints, scale, height, roomy]);
  const strip = lit ? STRIP.lit : STRIP.slim;
  const keyStrip = useMemo(() => ({ kind: 'layer' as const, layer: id }), [id]);
  useEffect(() => {
    if (!svg.current || !lit) return;
    const address = { kind: 'weight' as const, layer: id };
    return strips.add({
      element: svg.current,
      strip: { kind: 'curve', layer: id, address },
      inset: STRIP.lit + 1,
    });
  }, [strips, id, lit]);
  const idle = !base && kind === 'nothing';
  const keys = useKeys(keyStrip, scale);
  const drawing = useSession((state) => state.drawing);

  /** A press on a key at the lower edge, or beside keys where the shape is so high that it can be grabbed above. */
  const press = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const drawn = lit && drawing;
    if (event.button !== 0 || kind !== 'curves' || drawn || box.bottom - event.clientY > strip) return;
    if (keys.grab(event)) event.stopPropagation();
    else if (lit && compiled && (event.target as Element).hasAttribute('data-track')) {
      const weight = layerWeight(compiled, xToFrame(scale, event.clientX - box.left));
      if (weightToY(weight, top, height) > height - 2 * strip) return;
      strips.box(event);
      event.stopPropagation();
    }
  };
  return (
    <Box position="relative" flex="none" width={`${scale.width}px`} opacity={on ? 1 : 0.35}>
      {/* biome-ignore lint/a11y/noSvgWithoutTitle: what has the focus in it is named; a title would hang on the pointer */}
      <svg
        ref={svg}
        width={scale.width}
        height={height}
        style={{ display: 'block', touchAction: 'none' }}
        aria-hidden={!(lit && (base || kind === 'contacts'))}
        data-does={
          lit ? undefined : 'Click to light the layer: it then takes keys, and its shape can be dragged'
        }
        onPointerDownCapture={press}
        onPointerDown={() => perform(editor, lightLayer, id)}
        onContextMenuCapture={(event) => {
          const { bottom } = event.currentTarget.getBoundingClientRect();
          if (bottom - event.clientY <= strip && keys.menu(event)) event.stopPropagation();
        }}
        onContextMenu={(event) => {
          perform(editor, lightLayer, id);
          openMenu(event, layerMenu(editor, id));
        }}
      >
        <CurveShape
          address={{ kind: 'weight', layer: id }}
          line={line}
          shape={shape}
          scale={scale}
          height={height}
          top={top}
          color={color}
          fillOpacity={base || kind === 'contacts' ? 0.12 : idle ? 0.06 : lit ? 0.4 : 0.3}
          idle={idle}
          live={lit}
        />
        {base && compiled && <ContactLane compiled={compiled} lit={lit} scale={scale} height={height} />}
        {base && compiled && kind === 'curves' && (
          <KeyedLane compiled={compiled} lit={lit} scale={scale} height={height} />
        )}
        {kind === 'contacts' && <HeldLane id={id} lit={lit} scale={scale} height={height} color={color} />}
        <HeadroomLine layer={id} scale={scale} height={height} top={top} />
        {lit && !base && <SpanHandles layer={id} span={span} scale={scale} height={height} />}
      </svg>
      {lit && <HeadroomBar layer={id} />}
      {kind === 'curves' && (
        <Box position="absolute" left="0" bottom="0" pointerEvents="none">
          <KeyStrip strip={keyStrip} name={name} scale={scale} height={strip} tall={lit ? 13 : 6} />
        </Box>
      )}
    </Box>
  );
});
