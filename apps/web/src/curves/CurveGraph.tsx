import { chakra } from '@chakra-ui/react';
import { addressKey, type Key, type KeyPick, layerById } from '@evlay/core';
import { areJoined } from '@evlay/core/curve';
import { curvesOf } from '@evlay/core/edit';
import { type MouseEvent, type PointerEvent, type RefObject, useCallback, useEffect, useRef } from 'react';
import { perform } from '../commands/command.js';
import { dragHandle, insertOnCurves, moveOnCurves } from '../commands/keys/curves.js';
import { boxKeys, pickKeys } from '../commands/keys/keys.js';
import { scrub } from '../commands/view/transport.js';
import { openMenu } from '../controls/context-menu.js';
import { keyMenu } from '../controls/key-menu.js';
import { useEditor } from '../editor/context.js';
import type { Editor } from '../editor/editor.js';
import { isPicked } from '../editor/follow.js';
import { startDrag } from '../gestures/gesture.js';
import { useTheme } from '../theme/use-theme.js';
import { snapped } from '../timeline/snap.js';
import { framesPerPixel, type TimeScale, xToFrame } from '../timeline/time-scale.js';
import { type Rectangle, useBox } from '../ui/use-box.js';
import { useBehind } from './behind.js';
import { drawGraph } from './draw.js';
import {
  curveUnder,
  frameSeen,
  type Graph,
  handleAt,
  keyAtSpot,
  keysInBox,
  type PlacedCurve,
  type PlacedHandle,
  placedCurves,
  placedHandles,
  type Spot,
} from './geometry.js';
import type { ShownCurve } from './shown.js';
import { type ValueScales, zoomedScales } from './value-scale.js';

interface CurveGraphProps {
  readonly layer: string;
  /** Layers whose weights are summed up on it. */
  readonly summed: readonly string[];
  readonly curves: readonly ShownCurve[];
  readonly scale: TimeScale;
  readonly height: number;
  readonly scales: ValueScales;
  readonly onScales: (scales: ValueScales) => void;
}

/** How much a notch of the wheel zooms. */
const ZOOM = 1.0015;

/** The curves on a canvas, with their keys and handles: it follows project and picks by itself. */
export function CurveGraph({ layer, curves, summed, scale, height, scales, onScales }: CurveGraphProps) {
  const editor = useEditor();
  const theme = useTheme();
  const canvas = useRef<HTMLCanvasElement>(null);
  const [box, showBox] = useBox();
  const graph = useCallback((): Graph => {
    const { hiddenCurves, ownScales, keys } = editor.session.getState();
    return {
      project: editor.history.project(),
      curves,
      summed,
      hidden: hiddenCurves,
      scales,
      own: ownScales,
      scale,
      height,
      picks: keys,
    };
  }, [editor, curves, summed, scales, scale, height]);

  const asked = useRef(0);
  const draw = useRef<() => void>(() => {});
  const ask = useCallback(() => {
    asked.current ||= requestAnimationFrame(() => {
      asked.current = 0;
      draw.current();
    });
  }, []);
  const behind = useBehind(layer, curves, ask);

  useEffect(() => {
    draw.current = () => {
      const context = canvas.current?.getContext('2d');
      if (!context) return;
      const ratio = window.devicePixelRatio || 1;
      context.setTransform(ratio, 0, 0, ratio, 0, 0);
      const color = layerById(editor.history.project(), layer)?.color ?? '#9DB5B2';
      drawGraph(context, graph(), behind.current, color, theme);
    };
    draw.current();
    const stops = [
      editor.history.store.subscribe((now, before) => {
        const of = summed.length > 0 ? summed : [layer];
        if (of.some((id) => layerById(now.project, id) !== layerById(before.project, id))) ask();
      }),
      editor.session.subscribe((now, before) => {
        if (now.keys !== before.keys || now.hiddenCurves !== before.hiddenCurves) ask();
      }),
    ];
    return () => {
      for (const stop of stops) stop();
    };
  }, [editor, layer, summed, graph, theme, ask, behind]);
  useEffect(() => () => cancelAnimationFrame(asked.current), []);

  useWheel(canvas, scales, onScales);

  const spotAt = (event: MouseEvent): Spot => {
    const place = canvas.current!.getBoundingClientRect();
    return { x: event.clientX - place.left, y: event.clientY - place.top };
  };

  const press = (event: PointerEvent<HTMLCanvasElement>) => {
    if (event.button !== 0) return;
    const now = graph();
    const placed = placedCurves(now);
    const spot = spotAt(event);
    const handle = handleAt(placedHandles(now, placed), spot);
    const under = keyAtSpot(now, placed, spot);
    // A key keeps its middle where a short handle ends in it.
    if (handle && (!under || handle.off < under.off)) return grabHandle(editor, event, now, handle.handle);
    if (under) {
      const pick = { address: under.placed.shown.address, keys: [under.key.id] };
      perform(editor, pickKeys, { picks: [pick], more: event.shiftKey });
      return grabKeys(editor, event, graph(), under.placed, under.key);
    }
    grabBox(editor, event, now, placed, spot, showBox);
  };

  const insert = (event: MouseEvent) => {
    const now = graph();
    const spot = spotAt(event);
    const placed = placedCurves(now);
    if (keyAtSpot(now, placed, spot)) return;
    const frame = xToFrame(scale, spot.x);
    const curve = curveUnder(now, placed, spot, frame);
    if (curve)
      perform(editor, insertOnCurves, {
        addresses: [curve.shown.address],
        frame: event.altKey ? frame : Math.round(frame),
      });
  };

  const menu = (event: MouseEvent) => {
    const under = keyAtSpot(graph(), placedCurves(graph()), spotAt(event));
    if (!under) return event.preventDefault();
    const { shown } = under.placed;
    if (!isPicked(editor.session.getState().keys, shown.key, under.key.id))
      perform(editor, pickKeys, { picks: [{ address: shown.address, keys: [under.key.id] }], more: false });
    openMenu(event, keyMenu(editor));
  };

  const ratio = window.devicePixelRatio || 1;
  return (
    <chakra.div
      position="relative"
      flex="none"
      width={`${scale.width}px`}
      height={`${height}px`}
      overflow="hidden"
    >
      <canvas
        ref={canvas}
        role="img"
        aria-label={`Curves: ${curves
          .map(({ label }) => label)
          .slice(0, 12)
          .join(', ')}`}
        data-graph
        data-does="Drag a key in time and value, Shift: along one alone, Alt: part frames, Ctrl: a copy; drag a handle, Alt: by itself; double click: a key on the curve; wheel: zoom the values"
        width={Math.round(scale.width * ratio)}
        height={Math.round(height * ratio)}
        style={{ display: 'block', width: scale.width, height, touchAction: 'none' }}
        onPointerDown={press}
        onDoubleClick={insert}
        onContextMenu={menu}
      />
      {box}
    </chakra.div>
  );
}

/** The wheel zooms the values about the pointer, with Alt it moves along them. Ctrl and Shift are the time axis's. */
function useWheel(
  canvas: RefObject<HTMLCanvasElement | null>,
  scales: ValueScales,
  onScales: (scales: ValueScales) => void,
): void {
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      if (event.ctrlKey || event.shiftKey || event.deltaY === 0) return;
      event.preventDefault();
      const place = element.getBoundingClientRect();
      const about = (event.clientY - place.top) / place.height;
      if (event.altKey) onScales(zoomedScales(scales, 1, about, -event.deltaY / place.height));
      else onScales(zoomedScales(scales, ZOOM ** event.deltaY, about));
    };
    element.addEventListener('wheel', onWheel, { passive: false });
    return () => element.removeEventListener('wheel', onWheel);
  }, [canvas, scales, onScales]);
}

/** Drags the picked keys: all in time, in value those that have the scale of the one that is grabbed. */
function grabKeys(editor: Editor, press: PointerEvent, graph: Graph, grabbed: PlacedCurve, key: Key): void {
  const { keys: picks } = editor.session.getState();
  const before = curvesOf(graph.project, picks);
  const byKey = new Map(graph.curves.map((shown) => [shown.key, shown]));
  const alike = ({ address }: KeyPick) => {
    const shown = byKey.get(addressKey(address));
    return (
      shown !== undefined && (graph.own ? shown.key === grabbed.shown.key : shown.unit === grabbed.shown.unit)
    );
  };
  const perPixel = (grabbed.values[1] - grabbed.values[0]) / graph.height;
  const at = frameSeen(grabbed.time, key.frame);
  startDrag(editor, press, {
    command: moveOnCurves,
    to(dx, dy, { shiftKey, altKey, ctrlKey, metaKey }) {
      const along = !shiftKey || Math.abs(dx) >= Math.abs(dy);
      const up = !shiftKey || Math.abs(dy) > Math.abs(dx);
      const frames = along ? dx * framesPerPixel(graph.scale) : 0;
      const value = up ? -dy * perPixel : 0;
      return {
        sets: [
          { picks: picks.filter(alike), value },
          { picks: picks.filter((pick) => !alike(pick)), value: 0 },
        ],
        by: altKey || !along ? frames : snapped(graph.project, graph.scale, at, frames),
        copies: ctrlKey || metaKey,
        before,
      };
    },
  });
}

/** Drags a handle: the other one of its key turns along, where both lie on a line and were not broken. */
function grabHandle(
  editor: Editor,
  press: PointerEvent,
  graph: Graph,
  { placed, index, side, at }: PlacedHandle,
): void {
  const key = placed.curve.keys[index];
  const joined = areJoined(placed.curve.keys, index) && !editor.session.getState().apart.includes(key.id);
  const perPixel = (placed.values[1] - placed.values[0]) / graph.height;
  startDrag(editor, press, {
    command: dragHandle,
    to(dx, dy, { altKey }) {
      const frame = (xToFrame(graph.scale, at.x + dx) - placed.time.offset) * placed.time.speed;
      const value = placed.values[1] - (at.y + dy) * perPixel;
      return {
        address: placed.shown.address,
        key: key.id,
        side,
        handle: [frame - key.frame, value - key.value] as const,
        joined: joined && !altKey,
      };
    },
  });
}

/** Drags a box over keys; a press that does not move lets go of them and moves the playhead. */
function grabBox(
  editor: Editor,
  press: PointerEvent,
  graph: Graph,
  placed: readonly PlacedCurve[],
  from: Spot,
  show: (box: Rectangle | undefined) => void,
): void {
  const before = press.shiftKey ? editor.session.getState().keys : [];
  let moved = false;
  startDrag(editor, press, {
    command: boxKeys,
    to(dx, dy) {
      moved = true;
      const to = { x: from.x + dx, y: from.y + dy };
      show({
        left: Math.min(from.x, to.x),
        right: Math.max(from.x, to.x),
        top: Math.min(from.y, to.y),
        bottom: Math.max(from.y, to.y),
      });
      return { picks: keysInBox(graph, placed, from, to), before };
    },
    ended: () => show(undefined),
  });
  const up = ({ pointerId }: globalThis.PointerEvent) => {
    if (pointerId !== press.pointerId) return;
    window.removeEventListener('pointerup', up);
    if (moved) return;
    if (!press.shiftKey) perform(editor, boxKeys, { picks: [], before: [] });
    perform(editor, scrub, xToFrame(graph.scale, from.x));
  };
  window.addEventListener('pointerup', up);
}
