import { Box, chakra, Text } from '@chakra-ui/react';
import { keyWeight, layerById, layerTags, scaleWeight, setWeight, weightAt } from '@evlay/core';
import { jointsByPart, largestTurn, meanShare } from '@evlay/core/evaluate';
import { partLabel } from '@evlay/core/rig';
import { KeyRound } from 'lucide-react';
import { type KeyboardEvent, type PointerEvent, useEffect, useId, useMemo, useRef, useState } from 'react';
import { playhead } from '../state/playhead.js';
import { currentProject, edit, useProject } from '../state/project-store.js';
import { sessionStore, setSession, useSession } from '../state/session-store.js';
import { stage } from '../state/stage.js';
import { DragNumber } from '../ui/DragNumber.js';
import { startDrag } from '../ui/drag.js';
import { LayerMark } from '../ui/LayerMark.js';
import { ToolButton } from '../ui/ToolButton.js';
import { bodyMapShapes, type PartShape } from './map-shapes.js';

const PIXELS_TO_FULL = 120;
/** Degrees of change at which an additive layer's border is widest. */
const FULL_CHANGE = 25;

/** Where the tag of a part stands: in its middle, or from there outward, so that the two sides keep apart. */
function tagPlace({ part, centre: [x, y] }: PartShape, width: number) {
  const place = (dx: number, textAnchor: 'start' | 'middle' | 'end') => ({ x: x + dx, y: y + 3, textAnchor });
  if (!/^(left|right)/.test(part)) return place(0, 'middle');
  return x < width / 2 ? place(5, 'end') : place(-5, 'start');
}

/** The character as a map: who drives each part at this frame; picks parts and weighs the lit layer on them. */
export function BodyMap() {
  const rig = useProject((project) => project.rig);
  const parts = useProject((project) => project.parts);
  const layers = useProject((project) => project.layers);
  const lit = useSession((state) => state.lit);
  const picked = useSession((state) => state.parts);
  const map = useMemo(() => bodyMapShapes(rig, parts), [rig, parts]);
  const [under, setUnder] = useState<string>();
  const id = useId();
  const svg = useRef<SVGSVGElement>(null);
  const layer = layers.find((candidate) => candidate.id === lit);
  const joints = useMemo(() => jointsByPart(parts), [parts]);
  useFill(svg, id, map.parts, joints);

  const pick = (part: string, more: boolean) => {
    const before = sessionStore.getState().parts;
    const next = !more
      ? [part]
      : before.includes(part)
        ? before.filter((p) => p !== part)
        : [...before, part];
    setSession({ parts: next, picked: next.flatMap((p) => joints.get(p) ?? []) });
  };

  const grab = (event: PointerEvent, part: string) => {
    if (event.button !== 0) return;
    const before = sessionStore.getState().parts;
    if (!before.includes(part) || event.shiftKey) pick(part, event.shiftKey);
    const weighed = sessionStore.getState().parts;
    const starts = weighed.map((p) => partWeight(lit, p));
    const drag = Symbol('part weight');
    startDrag(event, (_, dy, move) => {
      const by = (-dy / PIXELS_TO_FULL) * (move.shiftKey ? 0.1 : 1);
      for (const [k, p] of weighed.entries()) weigh(lit, p, starts[k] + by, move.altKey, drag);
    });
  };

  const press = (event: KeyboardEvent, part: string) => {
    const step = { ArrowUp: 0.05, ArrowDown: -0.05 }[event.key];
    if (event.key === 'Enter' || event.key === ' ') pick(part, event.shiftKey);
    else if (step === undefined) return;
    else weigh(lit, part, partWeight(lit, part) + step, event.altKey, Symbol('part weight'));
    event.preventDefault();
    event.stopPropagation();
  };

  const named = under ?? picked.at(-1);
  return (
    <Box
      display="flex"
      flexDirection="column"
      minHeight="0"
      flex="1"
      px="3"
      pt="2"
      as="section"
      aria-label="Body map"
    >
      <Box display="flex" alignItems="center" gap="2" height="24px" flex="none">
        <Text fontWeight="600" flex="none">
          Body map
        </Text>
        <Text color="quiet" marginLeft="auto" flex="none">
          weighs
        </Text>
        <LayerMark
          index={Math.max(
            0,
            layers.findIndex((candidate) => candidate.id === lit),
          )}
          small
        />
        <Text truncate>{layer?.name}</Text>
      </Box>
      <Box flex="1" minHeight="0" display="flex" justifyContent="center">
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
            {map.parts.map(({ part }) => (
              <linearGradient key={part} id={`${id}${part}`} x1="0" y1="1" x2="0" y2="0" />
            ))}
          </defs>
          {map.parts.map(({ part, outline }) => (
            <g
              key={part}
              data-part={part}
              role="slider"
              tabIndex={0}
              aria-label={`${partLabel(part)}, weight on ${layer?.name}`}
              aria-valuemin={0}
              aria-valuemax={1}
              aria-valuenow={layer ? Number(weightAt(layer, playhead.get(), part).toFixed(2)) : 0}
              aria-orientation="vertical"
              style={{ cursor: 'ns-resize', outlineOffset: 2 }}
              onPointerDown={(event) => grab(event, part)}
              onPointerEnter={() => setUnder(part)}
              onPointerLeave={() => setUnder(undefined)}
              onFocus={() => setUnder(part)}
              onBlur={() => setUnder(undefined)}
              onKeyDown={(event) => press(event, part)}
            >
              {/* Strokes lie behind the fill, so that only what stands out of the part is seen of them. */}
              <path
                d={outline}
                stroke={picked.includes(part) ? 'var(--evlay-colors-lamp)' : 'var(--evlay-colors-panel)'}
                strokeWidth={picked.includes(part) ? 7 : 4}
                strokeLinejoin="round"
              />
              <path data-change d={outline} strokeLinejoin="round" />
              <path d={outline} fill={`url(#${id}${part})`} />
            </g>
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
      </Box>
      <Box display="flex" alignItems="center" gap="2" height="28px" flex="none">
        {named && layer ? (
          <>
            <Text truncate>{partLabel(named)}</Text>
            <DragNumber
              label={`Weight of ${layer.name} on the ${partLabel(named)}`}
              read={() => partWeight(lit, named)}
              live
              min={0}
              max={1}
              step={0.01}
              decimals={2}
              disabled={layer.locked}
              onChange={(value, { alt, drag }) => weigh(lit, named, value, alt, drag)}
            />
            <ToolButton
              label={`Key the weight of the ${partLabel(named)}`}
              icon={KeyRound}
              disabled={layer.locked}
              onClick={() =>
                edit((project) => keyWeight(project, { layer: lit, part: named }, playhead.get()))
              }
            />
          </>
        ) : (
          <Text color="quiet">Pick a part; drag it up or down to weigh it.</Text>
        )}
      </Box>
    </Box>
  );
}

function partWeight(id: string, part: string): number {
  const layer = layerById(currentProject(), id);
  return layer ? weightAt(layer, playhead.get(), part) : 0;
}

function weigh(id: string, part: string, value: number, alt: boolean, drag: symbol): void {
  if (layerById(currentProject(), id)?.locked) return;
  edit(
    (project) =>
      (alt ? scaleWeight : setWeight)(
        project,
        { layer: id, part },
        playhead.get(),
        Math.round(value * 1e4) / 1e4,
      ),
    drag,
  );
}

/** Fills the parts by shares and borders them by changes at every frame, past React. */
function useFill(
  svg: React.RefObject<SVGSVGElement | null>,
  id: string,
  shapes: readonly PartShape[],
  joints: ReadonlyMap<string, readonly number[]>,
): void {
  const layers = useProject((project) => project.layers);
  useEffect(() => {
    const tags = layerTags(layers);
    const drawn = shapes.map(({ part, roomy }) => {
      const group = svg.current?.querySelector<SVGGElement>(`[data-part="${part}"]`);
      return {
        joints: joints.get(part) ?? [],
        group,
        gradient: svg.current?.ownerDocument.getElementById(`${id}${part}`),
        change: group?.querySelector<SVGPathElement>('[data-change]'),
        text: roomy ? svg.current?.querySelector<SVGTextElement>(`[data-tag="${part}"]`) : undefined,
        before: '',
      };
    });
    const draw = () => {
      const shown = stage.get();
      if (!shown || shown.project.layers.length !== layers.length) return;
      const n = shown.project.rig.joints.length;
      for (const entry of drawn) {
        const stops: [string, number][] = [];
        let label = '';
        let largest = 0.25;
        let strongest = -1;
        let change = 0;
        for (let i = 1; i < layers.length; i++) {
          if (shown.stack.layers[i].additive) {
            const turn = (largestTurn(shown.attribution, i, entry.joints, n) * 180) / Math.PI;
            if (turn > change) {
              change = turn;
              strongest = i;
            }
            continue;
          }
          const share = meanShare(shown.attribution, i + 1, entry.joints, n);
          if (share < 0.004) continue;
          stops.push([layers[i].color ?? '#888888', share]);
          if (share > largest) {
            largest = share;
            label = tags[i];
          }
        }
        if (label === '' && change > 1 && strongest >= 0) label = `+${tags[strongest]}`;
        const key = `${stops.map(([c, s]) => c + s.toFixed(3)).join()} ${strongest} ${change.toFixed(1)} ${label}`;
        if (key === entry.before) continue;
        entry.before = key;
        paint(entry, stops, strongest >= 0 ? layers[strongest].color : undefined, change, label);
      }
    };
    draw();
    return stage.subscribe(draw);
  }, [svg, id, shapes, joints, layers]);
}

interface Drawn {
  readonly gradient: HTMLElement | null | undefined;
  readonly change: SVGPathElement | null | undefined;
  readonly text: SVGTextElement | null | undefined;
}

function paint(
  entry: Drawn,
  stops: readonly (readonly [string, number])[],
  color: string | undefined,
  change: number,
  label: string,
): void {
  let at = 0;
  const html = stops.map(([fill, share]) => {
    const from = at;
    at += share;
    return `<stop offset="${from}" stop-color="${fill}"/><stop offset="${at}" stop-color="${fill}"/>`;
  });
  const own = 'var(--evlay-colors-line)';
  html.push(`<stop offset="${at}" stop-color="${own}"/><stop offset="1" stop-color="${own}"/>`);
  if (entry.gradient) entry.gradient.innerHTML = html.join('');
  // Half of a stroke is hidden behind the fill.
  const width = change > 0.5 ? 2 + 4 * Math.min(1, change / FULL_CHANGE) : 0;
  entry.change?.setAttribute('stroke', width > 0 && color ? color : 'none');
  entry.change?.setAttribute('stroke-width', String(width));
  if (entry.text) {
    entry.text.textContent = label;
    entry.text.setAttribute('fill', 'var(--evlay-colors-text)');
    entry.text.setAttribute('paint-order', 'stroke');
    entry.text.setAttribute('stroke', 'var(--evlay-colors-panel)');
    entry.text.setAttribute('stroke-width', '2.5');
  }
}
