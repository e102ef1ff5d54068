import {
  addressKey,
  type CurveAddress,
  curveAtAddress,
  type KeyPick,
  layerById,
  scalarAtAddress,
} from '@evlay/core';
import { curvesOf, valueAt } from '@evlay/core/edit';
import type { MouseEvent, PointerEvent } from 'react';
import { perform } from '../commands/command.js';
import { lightLayer } from '../commands/layers.js';
import { addPoint, draw, moveKeys, pickKeys, setValues } from '../commands/values.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import { isPicked } from '../editor/follow.js';
import { startDrag } from '../gestures/gesture.js';
import { framesPerPixel, frameToX, type TimeScale, xToFrame } from '../timeline/time-scale.js';
import { weightToY, yToWeight } from './weight-shape.js';

interface CurveShapeProps {
  readonly address: CurveAddress;
  /** The line of the value, and that of the shape below it, which is the same where it is left out. */
  readonly line: string;
  readonly shape?: string;
  readonly scale: TimeScale;
  readonly height: number;
  /** The value at the top. */
  readonly top: number;
  readonly color: string;
  readonly fillOpacity: number;
  /** Whether it can be dragged and has its points; it is only looked at otherwise. */
  readonly live: boolean;
}

/** A weight over time as a filled shape: dragged up and down, drawn, and set by points. */
export function CurveShape({
  address,
  line,
  shape = line,
  scale,
  height,
  top,
  color,
  fillOpacity,
  live,
}: CurveShapeProps) {
  const editor = useEditor();
  const drawing = useSession((state) => state.drawing);
  const bottom = weightToY(0, 1, height);

  /** Frame and value under the pointer; `target` is what the drag started on. */
  const under = (event: { clientX: number; clientY: number }, target: Element) => {
    const box = target.closest('svg')!.getBoundingClientRect();
    return {
      frame: Math.round(xToFrame(scale, event.clientX - box.left)),
      value: yToWeight(event.clientY - box.top, top, height),
    };
  };

  const grab = (event: PointerEvent<SVGElement>) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    perform(editor, lightLayer, address.layer);
    const target = event.currentTarget;
    if (drawing) {
      const points = new Map<number, number>();
      const through = (at: { clientX: number; clientY: number }) => {
        const { frame, value } = under(at, target);
        points.set(frame, value);
        return { address, points: [...points] };
      };
      startDrag(editor, event, {
        command: draw,
        atOnce: through(event),
        to: (_dx, _dy, move) => through(move),
      });
      return;
    }
    const project = editor.history.project();
    const before = valueAt(project, address, editor.playhead.get());
    const layer = layerById(project, address.layer);
    const from = layer && scalarAtAddress(layer, address);
    startDrag(editor, event, {
      command: setValues,
      to: (_, dy, { shiftKey, altKey }) => [
        {
          address,
          value: before - (dy / (height - 6)) * top * (shiftKey ? 0.1 : 1),
          whole: altKey,
          from,
        },
      ],
    });
  };

  const add = (event: MouseEvent<SVGElement>) => {
    if (drawing) return;
    event.stopPropagation();
    perform(editor, addPoint, { address, ...under(event, event.currentTarget) });
  };

  return (
    <>
      {live && (
        // biome-ignore lint/a11y/noStaticElementInteractions: the number beside it does the same by key
        <rect
          width={scale.width}
          height={height}
          fill="transparent"
          style={{ cursor: drawing ? 'crosshair' : undefined }}
          onPointerDown={drawing ? grab : undefined}
          onDoubleClick={add}
        />
      )}
      {/* biome-ignore lint/a11y/noStaticElementInteractions: the number beside it does the same by key */}
      <path
        d={`M0 ${bottom} L${shape} L${scale.width} ${bottom} Z`}
        fill={color}
        fillOpacity={fillOpacity}
        style={{ cursor: live ? (drawing ? 'crosshair' : 'ns-resize') : undefined }}
        onPointerDown={live ? grab : undefined}
        onDoubleClick={live ? add : undefined}
      />
      <path d={`M${line}`} fill="none" stroke={color} strokeWidth={live ? 2 : 1.25} pointerEvents="none" />
      {live && <Points address={address} scale={scale} height={height} top={top} color={color} />}
    </>
  );
}

interface PointsProps extends Pick<CurveShapeProps, 'address' | 'scale' | 'height' | 'top' | 'color'> {}

/** The keys of a weight as points to drag. */
function Points({ address, scale, height, top, color }: PointsProps) {
  const editor = useEditor();
  const curve = useProject((project) => {
    const layer = layerById(project, address.layer);
    return layer && curveAtAddress(layer, address);
  });
  const picked = useSession((state) => state.keys);
  const of = addressKey(address);
  if (!curve) return null;

  const grab = (event: PointerEvent, id: string) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    const own: KeyPick[] = [{ address, keys: [id] }];
    perform(editor, pickKeys, { picks: own, more: event.shiftKey });
    const picks = editor.session.getState().keys;
    const before = curvesOf(editor.history.project(), picks);
    startDrag(editor, event, {
      command: moveKeys,
      to(dx, dy, { shiftKey }) {
        const fine = shiftKey ? 0.1 : 1;
        return {
          picks,
          by: Math.round(dx * framesPerPixel(scale) * fine),
          value: -(dy / (height - 6)) * top * fine,
          before,
        };
      },
    });
  };

  return curve.keys.map((key) => {
    const on = isPicked(picked, of, key.id);
    return (
      // biome-ignore lint/a11y/noStaticElementInteractions: the number beside it keys by key
      <circle
        key={key.id}
        cx={frameToX(scale, key.frame)}
        cy={weightToY(Math.min(key.value, top), top, height)}
        r={on ? 5.5 : 4.5}
        fill={on ? 'var(--evlay-colors-lamp)' : 'var(--evlay-colors-ground)'}
        stroke={color}
        strokeWidth={2}
        style={{ cursor: 'move' }}
        onPointerDown={(event) => grab(event, key.id)}
        onDoubleClick={(event) => event.stopPropagation()}
      >
        <title>{`weight ${key.value.toFixed(2)} at ${key.frame}`}</title>
      </circle>
    );
  });
}
