import {
  addressKey,
  type CurveAddress,
  curveAtAddress,
  frameNumber,
  type KeyPick,
  ownerById,
  type Project,
  scalarAtAddress,
} from '@evlay/core';
import { curvesOf, keysBeside, valueAt } from '@evlay/core/edit';
import { type MouseEvent, type PointerEvent, useContext } from 'react';
import { perform } from '../../commands/command.js';
import { moveKeys, pickKeys } from '../../commands/keys/keys.js';
import { addPoint, draw, setValues } from '../../commands/keys/values.js';
import { lightLayer } from '../../commands/stack/layers.js';
import { openMenu } from '../../controls/context-menu.js';
import { keyMenu } from '../../controls/key-menu.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { isPicked } from '../../editor/follow.js';
import { startDrag } from '../../gestures/gesture.js';
import { framesPerPixel, frameToX, type TimeScale, xToFrame } from '../../timeline/time-scale.js';
import { StripsContext } from '../keys/box.js';
import { weightToY, yToWeight } from './weight-shape.js';

/** Pixels within which a key is taken for the one under the pointer. */
const NEAR = 6;

/** The frame at which a curve is highest, by which it is scaled. */
function highestFrame(project: Project, address: CurveAddress): number {
  const layer = ownerById(project, address.layer);
  const keys = (layer && curveAtAddress(layer, address))?.keys ?? [];
  return keys.reduce((best, key) => (key.value > best.value ? key : best), keys[0]).frame;
}

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
  /** Whether it has nothing to weigh yet: it is only hinted at. */
  readonly idle?: boolean;
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
  idle = false,
  live,
}: CurveShapeProps) {
  const editor = useEditor();
  const strips = useContext(StripsContext);
  const drawing = useSession((state) => state.drawing);
  const bottom = weightToY(0, 1, height);
  const keyed = useProject((project) => {
    const layer = ownerById(project, address.layer);
    return layer !== undefined && curveAtAddress(layer, address) !== undefined;
  });
  const does = drawing
    ? 'Draw: drag along the lane'
    : keyed
      ? 'Drag up or down to move the keys beside the pointer; Shift: finely; Alt: the whole curve; double click: a key here'
      : 'Drag up or down to weigh the layer at every frame; Shift: finely; double click: a key here';

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
    // A curve is moved where the pointer is: by the key that is there, or by the two beside it.
    const picks = keysBeside(project, address, under(event, target).frame, NEAR * framesPerPixel(scale));
    if (picks.length === 0 || event.altKey) {
      grabWhole(event);
      return;
    }
    const before = curvesOf(project, picks);
    startDrag(editor, event, {
      command: moveKeys,
      to: (_, dy, { shiftKey }) => ({
        picks,
        by: 0,
        value: -(dy / (height - 6)) * top * (shiftKey ? 0.1 : 1),
        before,
      }),
    });
  };

  /** Moves all of it: a number, or a whole curve, which is scaled. */
  const grabWhole = (event: PointerEvent<SVGElement>) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    perform(editor, lightLayer, address.layer);
    const project = editor.history.project();
    const layer = ownerById(project, address.layer);
    const from = layer && scalarAtAddress(layer, address);
    const keyed = layer && curveAtAddress(layer, address) !== undefined;
    const before = valueAt(project, address, keyed ? highestFrame(project, address) : editor.playhead.get());
    startDrag(editor, event, {
      command: setValues,
      to: (_, dy, { shiftKey }) => [
        {
          address,
          value: before - (dy / (height - 6)) * top * (shiftKey ? 0.1 : 1),
          whole: keyed,
          at: keyed ? highestFrame(project, address) : undefined,
          from,
        },
      ],
    });
  };

  const box = (event: PointerEvent<SVGElement>) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    perform(editor, lightLayer, address.layer);
    strips.box(event);
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
          style={{ cursor: 'crosshair' }}
          data-track
          data-does={drawing ? does : 'Drag: pick keys in a box; double click: a key here'}
          onPointerDown={drawing ? grab : box}
          onDoubleClick={add}
        />
      )}
      {/* biome-ignore lint/a11y/noStaticElementInteractions: the number beside it does the same by key */}
      <path
        d={`M0 ${bottom} L${shape} L${scale.width} ${bottom} Z`}
        fill={color}
        fillOpacity={fillOpacity}
        strokeDasharray={idle ? '3 5' : undefined}
        stroke={idle ? color : undefined}
        strokeOpacity={0.6}
        data-track
        data-does={live ? does : 'Click to light the layer'}
        style={{ cursor: live ? (drawing ? 'crosshair' : 'ns-resize') : undefined }}
        onPointerDown={live ? grab : undefined}
        onDoubleClick={live ? add : undefined}
      />
      {!idle && (
        <path d={`M${line}`} fill="none" stroke={color} strokeWidth={live ? 2 : 1.25} pointerEvents="none" />
      )}
      {live && keyed && (
        <g
          style={{ cursor: 'ns-resize' }}
          onPointerDown={grabWhole}
          data-does="Drag up or down to scale the whole curve; Shift: finely"
        >
          <rect x={scale.width - 18} y={0} width={16} height={height} fill="transparent" />
          <rect
            x={scale.width - 12}
            y={Math.max(2, height / 2 - 11)}
            width={5}
            height={Math.min(height - 4, 22)}
            rx={2.5}
            fill={color}
            stroke="var(--evlay-colors-ground)"
          />
          <title>the whole curve</title>
        </g>
      )}
      {live && <Points address={address} scale={scale} height={height} top={top} color={color} />}
    </>
  );
}

interface PointsProps extends Pick<CurveShapeProps, 'address' | 'scale' | 'height' | 'top' | 'color'> {}

/** The keys of a weight as points to drag. */
function Points({ address, scale, height, top, color }: PointsProps) {
  const editor = useEditor();
  const curve = useProject((project) => {
    const layer = ownerById(project, address.layer);
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
        data-does="Drag to move the key in time and value; Shift: pick it too, and finely; Delete: take it out; right click: more"
        onContextMenu={(event) => {
          event.stopPropagation();
          perform(editor, pickKeys, { picks: [{ address, keys: [key.id] }], more: false });
          openMenu(event, keyMenu(editor));
        }}
        onPointerDown={(event) => grab(event, key.id)}
        onDoubleClick={(event) => event.stopPropagation()}
      >
        <title>{`weight ${key.value.toFixed(2)} at ${frameNumber(editor.history.project(), key.frame)}`}</title>
      </circle>
    );
  });
}
