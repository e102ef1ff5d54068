import type { Curve, OwnTime } from '@evlay/core';
import { isPicked } from '../editor/follow.js';
import { colorOf, type Theme } from '../theme/theme.js';
import { frameToX, rulerStep } from '../timeline/time-scale.js';
import type { Behind } from './behind.js';
import { type Graph, type PlacedCurve, placedCurves, placedHandles, roundsSeen, spotOf } from './geometry.js';
import { pathOf } from './paths.js';
import { type Unit, unitShape } from './shown.js';
import { type Values, valueSteps, valueToY } from './value-scale.js';

/** Half the width and height of a mark of a key, and the radius of a handle. */
const MARK = { wide: 2.5, tall: 4.5 };
const KNOB = 3.5;

/** The matrix from own frames and values of a curve to pixels. */
function matrixOf({ scale, height }: Graph, time: OwnTime, [low, high]: Values, by = 0): DOMMatrix {
  const perFrame = scale.width / (scale.to - scale.from);
  const perValue = height / (high - low);
  const speed = time.speed || 1;
  return new DOMMatrix([
    perFrame / speed,
    0,
    0,
    -perValue,
    (time.offset + by - scale.from) * perFrame,
    height + low * perValue,
  ]);
}

const strokePath = (context: CanvasRenderingContext2D, path: Path2D, matrix: DOMMatrix): void => {
  const placed = new Path2D();
  placed.addPath(path, matrix);
  context.stroke(placed);
};

/** Draws the graph: lines of values, what lies behind, the curves with their keys, and the handles of the picked ones. */
export function drawGraph(
  context: CanvasRenderingContext2D,
  graph: Graph,
  behind: Behind | undefined,
  layerColor: string,
  theme: Theme,
): void {
  const { scale, height } = graph;
  const [line, text, quiet, lamp, ground] = (['line', 'text', 'quiet', 'lamp', 'ground'] as const).map(
    (one) => colorOf(one, theme),
  );
  context.clearRect(0, 0, scale.width, height);
  const placed = placedCurves(graph);
  drawLines(context, graph, placed, line, quiet);
  const colour = (one: PlacedCurve) => one.shown.color ?? layerColor;

  context.lineWidth = 1;
  for (const one of placed) {
    const samples = behind?.get(one.shown.key);
    if (!samples) continue;
    context.strokeStyle = colour(one);
    for (const [name, dash, alpha] of [
      ['result', [], 0.5],
      ['below', [2, 4], 0.5],
    ] as const) {
      context.globalAlpha = alpha;
      context.setLineDash([...dash]);
      context.beginPath();
      for (const [k, value] of samples[name].entries())
        context.lineTo(frameToX(scale, samples.from + k), valueToY(one.values, value, height));
      context.stroke();
    }
  }
  context.setLineDash([]);
  context.globalAlpha = 1;

  for (const one of placed) {
    context.strokeStyle = colour(one);
    const { curve, time } = one;
    const path = pathOf(curve, time);
    if (!path) continue;
    context.lineWidth = 1.6;
    strokePath(context, path, matrixOf(graph, time, one.values));
    context.lineWidth = 1;
    context.globalAlpha = 0.5;
    for (const by of roundsSeen(
      graph,
      time,
      curve.keys.map(({ frame }) => frame),
    ))
      strokePath(context, path, matrixOf(graph, time, one.values, by));
    if (time.loop === 'none') drawEnds(context, graph, one, curve);
    context.globalAlpha = 1;
  }

  const handles = placedHandles(graph, placed);
  context.lineWidth = 1;
  for (const { placed: one, index, at } of handles) {
    const key = one.curve.keys[index];
    const from = spotOf(graph, one, key.frame, key.value);
    context.strokeStyle = text;
    context.globalAlpha = 0.8;
    context.beginPath();
    context.moveTo(from.x, from.y);
    context.lineTo(at.x, at.y);
    context.stroke();
    context.globalAlpha = 1;
    context.fillStyle = ground;
    context.beginPath();
    context.arc(at.x, at.y, KNOB, 0, 2 * Math.PI);
    context.fill();
    context.stroke();
  }
  for (const one of placed)
    for (const key of one.curve.keys) {
      const { x, y } = spotOf(graph, one, key.frame, key.value);
      if (x < -MARK.wide || x > scale.width + MARK.wide || y < -MARK.tall || y > height + MARK.tall) continue;
      const on = isPicked(graph.picks, one.shown.key, key.id);
      context.fillStyle = ground;
      context.fillRect(x - MARK.wide - 1, y - MARK.tall - 1, 2 * MARK.wide + 2, 2 * MARK.tall + 2);
      context.fillStyle = on ? lamp : colour(one);
      context.fillRect(x - MARK.wide, y - MARK.tall, 2 * MARK.wide, 2 * MARK.tall);
    }
}

/** Before its first key and after its last one a curve holds. */
function drawEnds(context: CanvasRenderingContext2D, graph: Graph, one: PlacedCurve, { keys }: Curve): void {
  const backwards = one.time.speed < 0;
  context.setLineDash([5, 4]);
  for (const [key, x] of [
    [keys[0], backwards ? graph.scale.width : 0],
    [keys[keys.length - 1], backwards ? 0 : graph.scale.width],
  ] as const) {
    const at = spotOf(graph, one, key.frame, key.value);
    context.beginPath();
    context.moveTo(at.x, at.y);
    context.lineTo(x, at.y);
    context.stroke();
  }
  context.setLineDash([]);
}

/** Lines of frames and values. Values are written for each unit that is seen; where every curve has its own scale, none. */
function drawLines(
  context: CanvasRenderingContext2D,
  graph: Graph,
  placed: readonly PlacedCurve[],
  line: string,
  quiet: string,
): void {
  const { scale, height, project, own } = graph;
  context.strokeStyle = line;
  context.lineWidth = 1;
  context.globalAlpha = 0.5;
  context.beginPath();
  const step = rulerStep(scale, 64);
  for (let frame = Math.ceil(scale.from / step) * step; frame <= scale.to; frame += step) {
    const x = Math.round(frameToX(scale, frame)) + 0.5;
    context.moveTo(x, 0);
    context.lineTo(x, height);
  }
  context.stroke();
  context.globalAlpha = 1;
  if (own) return;
  const units = [...new Map(placed.map(({ shown, values }): [Unit, Values] => [shown.unit, values]))];
  context.font = '11px "JetBrains Mono Variable", monospace';
  for (const [k, [unit, values]] of units.entries()) {
    const { factor, sign, decimals } = unitShape(unit, project.metresPerUnit);
    for (const value of valueSteps([values[0] / factor, values[1] / factor], height, 34)) {
      const y = Math.round(valueToY(values, value * factor, height)) + 0.5;
      if (k === 0) {
        context.globalAlpha = value === 0 ? 1 : 0.5;
        context.beginPath();
        context.moveTo(0, y);
        context.lineTo(scale.width, y);
        context.stroke();
        context.globalAlpha = 1;
      }
      context.fillStyle = quiet;
      context.textAlign = k === 0 ? 'left' : 'right';
      const written = `${Number(value.toFixed(decimals + 1))}${sign === 'cm' ? ' cm' : sign}`;
      if (k < 2 && y > 10 && y < height - 2) context.fillText(written, k === 0 ? 4 : scale.width - 4, y - 3);
    }
  }
}
