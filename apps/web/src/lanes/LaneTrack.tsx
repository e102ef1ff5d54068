import { type CompiledLayer, drawWeight, isCurve, keyFrames, keyMarks, keyWeight, moveLayerKeys, moveWeightKey, scaleWeight, setWeight, weightAt } from '@evlay/core';
import { layerWeight } from '@evlay/core/evaluate';
import { type PointerEvent, useMemo } from 'react';
import { playhead } from '../state/playhead.js';
import { currentProject, edit } from '../state/project-store.js';
import { light, setSession, useSession } from '../state/session-store.js';
import { startDrag } from '../ui/drag.js';
import { ContactLane } from './ContactLane.js';
import { SpanHandles } from './SpanHandles.js';
import { framesPerPixel, frameToX, type TimeScale, xToFrame } from './time-scale.js';
import { topWeight, weightLine, weightToY, yToWeight } from './weight-shape.js';

interface LaneTrackProps {
  readonly compiled: CompiledLayer;
  readonly live: boolean;
  readonly lit: boolean;
  readonly base: boolean;
  readonly scale: TimeScale;
  readonly height: number;
}

/** One layer over time: weight times fades as a filled shape, keys as marks along the bottom. */
export function LaneTrack({ compiled, live, lit, base, scale, height }: LaneTrackProps) {
  const { layer } = compiled;
  const drawing = useSession((state) => state.drawing);
  const top = topWeight(compiled);
  const line = useMemo(() => weightLine(compiled, scale, height, top), [compiled, scale, height, top]);
  const bottom = weightToY(0, 1, height);
  const color = layer.color ?? 'var(--evlay-colors-quiet)';
  const of = { layer: layer.id };

  /** Frame and weight under the pointer; `target` is what the drag started on. */
  const under = (event: { clientX: number; clientY: number }, target: Element) => {
    const box = target.closest('svg')!.getBoundingClientRect();
    return {
      frame: xToFrame(scale, event.clientX - box.left),
      weight: yToWeight(event.clientY - box.top, top, height),
    };
  };

  const grabShape = (event: PointerEvent<SVGElement>) => {
    if (event.button !== 0) return;
    light(layer.id);
    if (layer.locked) return;
    const target = event.currentTarget;
    const drag = Symbol('weight');
    if (drawing) {
      const points = new Map<number, number>();
      const put = (at: { clientX: number; clientY: number }) => {
        const { frame, weight } = under(at, target);
        points.set(Math.round(frame), weight);
        edit((project) => drawWeight(project, of, [...points]), drag);
      };
      put(event);
      startDrag(event, (_dx, _dy, move) => put(move));
      return;
    }
    const before = weightAt(layer, playhead.get());
    startDrag(event, (_, dy, move) => {
      const value = before - (dy / (height - 6)) * top * (move.shiftKey ? 0.1 : 1);
      edit((project) => (move.altKey ? scaleWeight : setWeight)(project, of, playhead.get(), value), drag);
    });
  };

  const addPoint = (event: React.MouseEvent<SVGElement>) => {
    if (layer.locked || drawing) return;
    const { frame, weight } = under(event, event.currentTarget);
    edit((project) => keyWeight(project, of, Math.round(frame), weight));
  };

  return (
    // biome-ignore lint/a11y/noSvgWithoutTitle: what has the focus in it is named; a title would hang on the pointer
    <svg
      width={scale.width}
      height={height}
      style={{
        display: 'block',
        flex: 'none',
        opacity: live ? 1 : 0.35,
        cursor: drawing && lit ? 'crosshair' : undefined,
        touchAction: 'none',
      }}
      aria-hidden={!(base && lit)}
      onPointerDown={drawing && lit ? grabShape : () => light(layer.id)}
      onDoubleClick={lit ? addPoint : undefined}
    >
      {lit && <rect width={scale.width} height={height} fill="transparent" />}
      <path
        d={`M0 ${bottom} L${line} L${scale.width} ${bottom} Z`}
        fill={color}
        fillOpacity={base ? 0.12 : lit ? 0.5 : 0.34}
        style={{ cursor: lit && !drawing ? 'ns-resize' : undefined }}
        onPointerDown={lit && !drawing ? grabShape : undefined}
      />
      <path d={`M${line}`} fill="none" stroke={color} strokeWidth={lit ? 2 : 1.25} pointerEvents="none" />
      {base && <ContactLane compiled={compiled} lit={lit} scale={scale} height={height} />}
      {lit && !base && <SpanHandles layer={layer} scale={scale} height={height} />}
      {lit && <WeightPoints compiled={compiled} scale={scale} height={height} top={top} />}
      <KeyMarks compiled={compiled} lit={lit} scale={scale} height={height} />
    </svg>
  );
}

function WeightPoints({
  compiled,
  scale,
  height,
  top,
}: {
  compiled: CompiledLayer;
  scale: TimeScale;
  height: number;
  top: number;
}) {
  const { layer } = compiled;
  const selection = useSession((state) => state.selection);
  if (!isCurve(layer.weight)) return null;
  const of = { layer: layer.id };
  const grab = (event: PointerEvent, id: string, frame: number, value: number) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    const more = selection.kind === 'weights' && event.shiftKey;
    setSession({ selection: { kind: 'weights', frames: [], ids: more ? [...selection.ids, id] : [id] } });
    if (layer.locked) return;
    // Every move counts from where the drag began, so that keys which were passed over come back.
    const start = currentProject();
    const drag = Symbol('weight point');
    startDrag(event, (dx, dy, move) => {
      const fine = move.shiftKey ? 0.1 : 1;
      const to = Math.round(frame + dx * framesPerPixel(scale) * fine);
      edit(() => moveWeightKey(start, of, id, to, value - (dy / (height - 6)) * top * fine), drag);
    });
  };
  return layer.weight.keys.map((key) => {
    const picked = selection.kind === 'weights' && selection.ids.includes(key.id);
    return (
      <circle
        key={key.id}
        cx={frameToX(scale, key.frame)}
        cy={weightToY(Math.min(key.value, top), top, height)}
        r={picked ? 5.5 : 4.5}
        fill={picked ? 'var(--evlay-colors-lamp)' : 'var(--evlay-colors-ground)'}
        stroke={layer.color ?? 'var(--evlay-colors-text)'}
        strokeWidth={2}
        style={{ cursor: 'move' }}
        onPointerDown={(event) => grab(event, key.id, key.frame, key.value)}
      >
        <title>{`weight ${layerWeight(compiled, key.frame).toFixed(2)} at ${key.frame}`}</title>
      </circle>
    );
  });
}

function KeyMarks({
  compiled,
  lit,
  scale,
  height,
}: {
  compiled: CompiledLayer;
  lit: boolean;
  scale: TimeScale;
  height: number;
}) {
  const { layer } = compiled;
  const selection = useSession((state) => state.selection);
  const { time } = compiled;
  const marks = useMemo(
    () => keyMarks(time, keyFrames(layer), scale.from, scale.to),
    [layer, time, scale.from, scale.to],
  );
  const tall = lit ? 13 : 6;

  const grab = (event: PointerEvent, own: number) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    light(layer.id);
    const before = selection.kind === 'keys' && lit ? selection.frames : [];
    const picked = before.includes(own) ? before : event.shiftKey ? [...before, own] : [own];
    setSession({ selection: { kind: 'keys', frames: picked, ids: [] } });
    if (layer.locked) return;
    const start = currentProject();
    const drag = Symbol('keys');
    startDrag(event, (dx) => {
      const by = Math.round(dx * framesPerPixel(scale)) * time.speed;
      edit(() => moveLayerKeys(start, layer.id, picked, by), drag);
      setSession({ selection: { kind: 'keys', frames: picked.map((at) => at + by), ids: [] } });
    });
  };

  return marks.map(({ own, frame, turn }) => {
    const x = frameToX(scale, frame);
    if (x < -6 || x > scale.width + 6) return null;
    const picked = lit && selection.kind === 'keys' && selection.frames.includes(own);
    return (
      // biome-ignore lint/a11y/noStaticElementInteractions: the drawing is hidden from readers; Ctrl with the arrows goes from key to key
      <rect
        key={`${own} ${turn}`}
        x={x - 2.5}
        y={height - tall}
        width={5}
        height={tall}
        rx={2}
        fill={picked ? 'var(--evlay-colors-lamp)' : 'var(--evlay-colors-text)'}
        fillOpacity={turn === 0 ? 1 : 0.45}
        stroke="var(--evlay-colors-ground)"
        strokeWidth={1}
        style={{ cursor: 'ew-resize' }}
        onPointerDown={(event) => grab(event, own)}
        onDoubleClick={(event) => event.stopPropagation()}
      >
        <title>{`key at ${Math.round(frame * 100) / 100}${turn === 0 ? '' : ', come round again'}`}</title>
      </rect>
    );
  });
}
