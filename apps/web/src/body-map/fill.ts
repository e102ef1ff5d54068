import { layerTags } from '@evlay/core';
import { actsAsChange, largestTurn, meanShare } from '@evlay/core/evaluate';
import { memberCount } from '@evlay/core/rig';
import { useEffect } from 'react';
import { useShallow } from 'zustand/react/shallow';
import { useEditor, useProject } from '../editor/context.js';
import type { PartShape } from './map-shapes.js';

/** Degrees of change at which the border of a layer that adds is widest. */
const FULL_CHANGE = 25;

/** The id of a part's gradient: parts may have any name, and what stands in `url(…)` may not. */
export const gradientId = (id: string, part: string): string =>
  `${id}${[...part].map((char) => char.codePointAt(0)!.toString(36)).join('-')}`;

/** Fills the parts by shares and borders them by changes at every frame, past React. */
export function useFill(
  svg: React.RefObject<SVGSVGElement | null>,
  id: string,
  shapes: readonly PartShape[],
  joints: ReadonlyMap<string, readonly number[]>,
): void {
  const { stage, history } = useEditor();
  // Which layers there are, how they are called and coloured: keys that move change nothing of it.
  const shown = useProject(
    useShallow((project) => project.layers.map(({ id, name, color }) => `${id} ${name} ${color}`)),
  );
  // biome-ignore lint/correctness/useExhaustiveDependencies: `shown` says when it is drawn otherwise
  useEffect(() => {
    const { layers } = history.project();
    const tags = layerTags(layers);
    const drawn = shapes.map(({ part, roomy }) => {
      const name = CSS.escape(part);
      const group = svg.current?.querySelector<SVGGElement>(`[data-part="${name}"]`);
      return {
        joints: joints.get(part) ?? [],
        group,
        gradient: svg.current?.ownerDocument.getElementById(gradientId(id, part)),
        change: group?.querySelector<SVGPathElement>('[data-change]'),
        text: roomy ? svg.current?.querySelector<SVGTextElement>(`[data-tag="${name}"]`) : undefined,
        shares: '',
        stroke: '',
      };
    });
    for (const { text } of drawn) for (const [name, value] of TEXT) text?.setAttribute(name, value);
    const draw = () => {
      const shown = stage.get();
      if (shown.project.layers.length !== layers.length) return;
      const n = memberCount(shown.project.rig);
      for (const entry of drawn) {
        const stops: [string, number][] = [];
        let label = '';
        let largest = 0.25;
        let strongest = -1;
        let change = 0;
        for (let i = 1; i < layers.length; i++) {
          if (actsAsChange(shown.stack.layers[i])) {
            const turn = (largestTurn(shown.attribution, i, entry.joints, n) * 180) / Math.PI;
            if (turn > change) {
              change = turn;
              strongest = i;
            }
            continue;
          }
          if (layers[i].color === undefined) continue;
          const share = meanShare(shown.attribution, i + 1, entry.joints, n);
          if (share < 0.004) continue;
          stops.push([layers[i].color!, share]);
          if (share > largest) {
            largest = share;
            label = tags[i];
          }
        }
        if (label === '' && change > 1 && strongest >= 0) label = tags[strongest]!;
        paintShares(entry, stops);
        paintChange(entry, strongest >= 0 ? layers[strongest].color : undefined, change);
        if (entry.text && entry.text.textContent !== label) entry.text.textContent = label;
      }
    };
    draw();
    return stage.subscribe(draw);
  }, [history, stage, svg, id, shapes, joints, shown]);
}

/** Letters stand out of whatever is behind them. */
const TEXT = [
  ['fill', 'var(--evlay-colors-text)'],
  ['paint-order', 'stroke'],
  ['stroke', 'var(--evlay-colors-panel)'],
  ['stroke-width', '2.5'],
] as const;

/** What a part is drawn with, and what it shows already: it is written when it changes. */
interface Drawn {
  readonly gradient: HTMLElement | null | undefined;
  readonly change: SVGPathElement | null | undefined;
  shares: string;
  stroke: string;
}

/** Steps of a share: a part of the map is about as many pixels high. */
const STEPS = 64;

/** Fills a part by bands, each as high as a share. The stops of its gradient are kept and written when they change. */
function paintShares(entry: Drawn, stops: readonly (readonly [string, number])[]): void {
  const bands = stops
    .map(([color, share]) => [color, Math.round(share * STEPS) / STEPS] as const)
    .filter(([, share]) => share > 0);
  const shares = bands.map(([color, share]) => color + share).join() || 'none';
  if (shares === entry.shares || !entry.gradient) return;
  entry.shares = shares;
  const { children } = entry.gradient;
  let k = 0;
  const stop = (offset: number, color: string) => {
    let element = children[k++];
    if (!element) {
      element = document.createElementNS('http://www.w3.org/2000/svg', 'stop');
      entry.gradient?.append(element);
    }
    const [at, fill] = [String(offset), color];
    if (element.getAttribute('offset') !== at) element.setAttribute('offset', at);
    if (element.getAttribute('stop-color') !== fill) element.setAttribute('stop-color', fill);
  };
  let at = 0;
  for (const [color, share] of bands) {
    stop(at, color);
    at += share;
    stop(at, color);
  }
  const own = 'var(--evlay-colors-line)';
  stop(at, own);
  stop(1, own);
  while (children.length > k) children[k].remove();
}

function paintChange(entry: Drawn, color: string | undefined, change: number): void {
  // Half of a stroke is hidden behind the fill.
  const width = change > 0.5 && color ? 2 + 4 * Math.min(1, change / FULL_CHANGE) : 0;
  const stroke = width === 0 ? 'none' : `${color} ${width.toFixed(2)}`;
  if (stroke === entry.stroke) return;
  entry.stroke = stroke;
  entry.change?.setAttribute('stroke', width > 0 && color ? color : 'none');
  entry.change?.setAttribute('stroke-width', width.toFixed(2));
}
