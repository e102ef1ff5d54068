import { chakra } from '@chakra-ui/react';
import {
  type CurveAddress,
  type Layer,
  layerById,
  type Project,
  type Rig,
  scalarAtAddress,
} from '@evlay/core';
import { allowsJoint, valueAt } from '@evlay/core/edit';
import { membersByPart } from '@evlay/core/evaluate';
import { memberName, type Parts, partLabel } from '@evlay/core/rig';
import { type KeyboardEvent, type PointerEvent, useEffect, useId, useMemo, useRef } from 'react';
import { useShallow } from 'zustand/react/shallow';
import { perform } from '../commands/command.js';
import { setValues, type ValueChange } from '../commands/keys/values.js';
import { letAllCount, limitToPicked } from '../commands/stack/layer-values.js';
import { keepKeysOffPicked, letKeyPicked, limitKeysToPicked } from '../commands/stack/membership.js';
import { hidePicked, pickPart, showAllParts } from '../commands/view/view.js';
import { item, type MenuEntry, openMenu } from '../controls/context-menu.js';
import { weightMenu } from '../controls/weight-menu.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import { startDrag } from '../gestures/gesture.js';
import { gradientId, useFill } from './fill.js';
import type { BodyMapShapes, PartShape } from './map-shapes.js';
import { paintStroke } from './paint.js';
import { SoftBones } from './SoftBones.js';
import { useKeyed } from './use-keyed.js';

const PIXELS_TO_FULL = 120;

/** Where the tag of a part stands: in its middle, or from there outward, so that the two sides keep apart. */
function tagPlace({ part, centre: [x, y] }: PartShape, width: number) {
  const place = (dx: number, textAnchor: 'start' | 'middle' | 'end') => ({ x: x + dx, y: y + 3, textAnchor });
  if (!/(^|\/)(left|right)/.test(part)) return place(0, 'middle');
  return x < width / 2 ? place(5, 'end') : place(-5, 'start');
}

const ofPart = (layer: string, part: string): CurveAddress => ({ kind: 'part', layer, part });

/** What can be done with the picked parts. */
const partMenu = (addresses: readonly CurveAddress[], lit: string, hidden: boolean): readonly MenuEntry[] => [
  ...weightMenu(addresses),
  item(limitToPicked, lit),
  item(letAllCount, lit),
  item(limitKeysToPicked, undefined),
  item(letKeyPicked, undefined),
  item(keepKeysOffPicked, undefined),
  item(hidePicked, undefined, 'Hide it in the view'),
  ...(hidden ? [item(showAllParts, undefined)] : []),
];

/** The weights of parts on a layer as they are, from which a drag counts. */
function weightsOf(project: Project, lit: string, parts: readonly string[], frame: number): ValueChange[] {
  const layer = layerById(project, lit);
  return parts.map((part) => {
    const address = ofPart(lit, part);
    return {
      address,
      value: valueAt(project, address, frame),
      from: layer && scalarAtAddress(layer, address),
    };
  });
}

/** Parts that a layer may not key at all, or not in all of their joints. */
function partsClosed(allows: Layer['allows'], rig: Rig, parts: Parts): Map<string, 'whole' | 'some'> {
  const closed = new Map<string, 'whole' | 'some'>();
  if (!allows) return closed;
  const joints = [...membersByPart(parts)];
  for (const [part, list] of joints) {
    const open = list.filter((j) => allowsJoint({ allows }, memberName(rig, j))).length;
    if (open < list.length) closed.set(part, open === 0 ? 'whole' : 'some');
  }
  return closed;
}

interface PartsDrawingProps {
  readonly map: BodyMapShapes;
  /** Whether a drag is a stroke over parts, and what these weigh then. */
  readonly paints: boolean;
  readonly painted: number;
  /** Told which part is under the pointer or has the focus. */
  readonly onPoint: (part: string | undefined) => void;
}

/** Parts of the body as they are drawn: filled by who drives them; picked, and weighed on the lit layer by dragging. */
export function PartsDrawing({ map, paints, painted, onPoint }: PartsDrawingProps) {
  const editor = useEditor();
  const rig = useProject((project) => project.rig);
  const parts = useProject((project) => project.parts);
  const lit = useSession((state) => state.lit);
  const picked = useSession((state) => state.parts);
  const pickedJoints = useSession((state) => state.picked);
  const id = useId();
  const svg = useRef<SVGSVGElement>(null);
  // Of the lit layer what the map says: keys that move on it change nothing here.
  const { name, allows } = useProject(
    useShallow((project) => {
      const layer = layerById(project, lit);
      return { name: layer?.name ?? '', allows: layer?.allows };
    }),
  );
  const joints = useMemo(() => membersByPart(parts), [parts]);
  useFill(svg, id, map.parts, joints);
  useWeights(svg, lit, map.parts);
  useKeyed(svg, lit, map.parts);
  const closed = useMemo(() => partsClosed(allows, rig, parts), [allows, rig, parts]);
  // A joint that is picked lights the part that it is in.
  const lights = new Set([...picked, ...pickedJoints.map((joint) => parts[joint])]);

  const pick = (part: string, more: boolean) => perform(editor, pickPart, { part, more, joints });
  const weights = (parts: readonly string[]) =>
    weightsOf(editor.history.project(), lit, parts, editor.playhead.get());

  const grab = (event: PointerEvent, part: string) => {
    if (event.button !== 0) return;
    if (paints) {
      paintStroke(editor, event, part, event.altKey ? 0 : painted);
      return;
    }
    const before = editor.session.getState().parts;
    if (!before.includes(part) || event.shiftKey) pick(part, event.shiftKey);
    const starts = weights(editor.session.getState().parts);
    startDrag(editor, event, {
      command: setValues,
      to(_, dy, { shiftKey, altKey }) {
        const by = (-dy / PIXELS_TO_FULL) * (shiftKey ? 0.1 : 1);
        return starts.map((start) => ({ ...start, value: start.value + by, whole: altKey }));
      },
    });
  };

  const press = (event: KeyboardEvent, part: string) => {
    const step = { ArrowUp: 0.05, ArrowDown: -0.05 }[event.key];
    if (event.key === 'Enter' || event.key === ' ') pick(part, event.shiftKey);
    else if (step === undefined) return;
    else {
      const changed = weights([part]).map((one) => ({
        ...one,
        value: one.value + step,
        whole: event.altKey,
      }));
      perform(editor, setValues, changed);
    }
    event.preventDefault();
    event.stopPropagation();
  };

  return (
    <chakra.svg
      ref={svg}
      viewBox={`-4 -4 ${map.width + 8} ${map.height + 8}`}
      height="100%"
      maxWidth="100%"
      overflow="visible"
      role="group"
      aria-label="Parts of the body"
    >
      <defs>
        {/* Hatched: the lit layer may not key it. */}
        <pattern
          id={`${id}-closed`}
          width="5"
          height="5"
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(45)"
        >
          <rect width="5" height="5" fill="var(--evlay-colors-panel)" fillOpacity="0.55" />
          <line x1="0" y1="0" x2="0" y2="5" stroke="var(--evlay-colors-quiet)" strokeWidth="1.6" />
        </pattern>
        {map.parts.map(({ part }) => (
          <linearGradient key={part} id={gradientId(id, part)} x1="0" y1="1" x2="0" y2="0" />
        ))}
      </defs>
      {map.parts.map(({ part, outline }) => (
        <g
          key={part}
          data-part={part}
          role="slider"
          tabIndex={0}
          aria-label={`${partLabel(part)}, weight on ${name}`}
          aria-valuemin={0}
          aria-valuemax={1}
          aria-valuenow={0}
          aria-orientation="vertical"
          data-does={
            paints
              ? 'Drag over parts to weigh them all; Alt: 0'
              : 'Click to pick the part, Shift: pick it too; drag up or down to weigh the lit layer there, Shift: finely, Alt: its whole curve; right click: more'
          }
          onContextMenu={(event) => {
            if (!editor.session.getState().parts.includes(part)) pick(part, false);
            openMenu(
              event,
              partMenu(
                editor.session.getState().parts.map((one) => ofPart(lit, one)),
                lit,
                editor.session.getState().hidden.length > 0,
              ),
            );
          }}
          style={{ cursor: paints ? 'crosshair' : 'ns-resize', outlineOffset: 2, touchAction: 'none' }}
          onPointerDown={(event) => grab(event, part)}
          onPointerEnter={() => onPoint(part)}
          onPointerLeave={() => onPoint(undefined)}
          onFocus={() => onPoint(part)}
          onBlur={() => onPoint(undefined)}
          onKeyDown={(event) => press(event, part)}
        >
          {/* Small parts, such as paws, are hit a little beside them too. */}
          <path d={outline} fill="none" stroke="transparent" strokeWidth={8} pointerEvents="stroke" />
          {/* Strokes lie behind the fill, so that only what stands out of the part is seen of them. */}
          <path d={outline} stroke="var(--evlay-colors-panel)" strokeWidth={4} strokeLinejoin="round" />
          <path data-change d={outline} strokeLinejoin="round" strokeDasharray="5 3" />
          <path d={outline} fill={`url(#${gradientId(id, part)})`} />
          {closed.has(part) && (
            <path
              data-closed={part}
              d={outline}
              fill={`url(#${id}-closed)`}
              fillOpacity={closed.get(part) === 'whole' ? 0.9 : 0.4}
            />
          )}
        </g>
      ))}
      {map.parts
        .filter(({ part }) => lights.has(part))
        .map(({ part, outline }) => (
          <g key={part} data-lit={part} pointerEvents="none">
            <path d={outline} stroke="var(--evlay-colors-lamp)" strokeWidth={6} strokeLinejoin="round" />
            <path d={outline} fill={`url(#${gradientId(id, part)})`} />
          </g>
        ))}
      <SoftBones bones={map.bones} lit={lit} />
      {map.parts.map(({ part, centre: [x, y] }) => (
        <rect
          key={part}
          data-keyed={part}
          x={x - 3}
          y={y + 7}
          width="6"
          height="6"
          transform={`rotate(45 ${x} ${y + 10})`}
          stroke="var(--evlay-colors-lamp)"
          strokeWidth="1.4"
          visibility="hidden"
          pointerEvents="none"
        />
      ))}
      {map.parts.map((shape) => (
        <text
          key={shape.part}
          data-tag={shape.part}
          {...tagPlace(shape, map.width)}
          fontSize="9"
          fontWeight="700"
          pointerEvents="none"
        />
      ))}
    </chakra.svg>
  );
}

/** Tells assistive technology what the lit layer weighs in each part at the playhead. */
function useWeights(
  svg: React.RefObject<SVGSVGElement | null>,
  lit: string,
  shapes: readonly PartShape[],
): void {
  const { stage, history, playhead, session } = useEditor();
  useEffect(() => {
    const groups = shapes.map(({ part }) => ({
      part,
      group: svg.current?.querySelector(`[data-part="${CSS.escape(part)}"]`),
    }));
    const tell = () => {
      const project = history.project();
      // While it plays nobody asks for them.
      if (session.getState().playing || !layerById(project, lit)) return;
      for (const { part, group } of groups) {
        const text = valueAt(project, ofPart(lit, part), playhead.get()).toFixed(2);
        if (group?.getAttribute('aria-valuenow') !== text) group?.setAttribute('aria-valuenow', text);
      }
    };
    tell();
    const stops = [
      stage.subscribe(tell),
      session.subscribe((now, before) => now.playing !== before.playing && tell()),
    ];
    return () => stops.forEach((stop) => void stop());
  }, [stage, history, playhead, session, svg, lit, shapes]);
}
