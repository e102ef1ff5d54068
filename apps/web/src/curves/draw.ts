import type { Curve, OwnTime } from '@evlay/core';
import { isPicked } from '../editor/follow.js';
import { colorOf, type Theme } from '../theme/theme.js';
import { frameToX, rulerStep } from '../timeline/time-scale.js';
import type { Behind } from './behind.js';
import {
  frameSeen,
  type Graph,
  type PlacedCurve,
  placedCurves,
  placedHandles,
  roundsSeen,
  spotOf,
} from './geometry.js';
import { pathOf } from './paths.js';
import { type Unit, unitShape } from './shown.js';
import { type Values, valueSteps, valueToY } from './value-scale.js';
import { sumOfWeights, weighed } from './weights.js';

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
  context.globalAlpha = 0.5;
  for (const one of placed) {
    const samples = behind?.get(one.shown.key);
    if (!samples) continue;
    context.strokeStyle = colour(one);
    drawSamples(context, graph, one.values, samples.from, samples.result, false);
    drawSamples(context, graph, one.values, samples.from, samples.below, true);
  }
  context.globalAlpha = 1;
  drawSum(context, graph, text);

  // Curves of one colour are drawn at once: a stroke costs more than what it is made of.
  const lines = new Map<string, { curves: Path2D; rounds: Path2D }>();
  for (const one of placed) {
    const { curve, time } = one;
    const path = pathOf(curve, time);
    if (!path) continue;
    const name = colour(one);
    const line = lines.get(name) ?? { curves: new Path2D(), rounds: new Path2D() };
    lines.set(name, line);
    line.curves.addPath(path, matrixOf(graph, time, one.values));
    for (const by of roundsSeen(graph, time, curve))
      line.rounds.addPath(path, matrixOf(graph, time, one.values, by));
    if (time.loop === 'none') addEnds(line.rounds, graph, one, curve);
  }
  for (const [color, { curves, rounds }] of lines) {
    context.strokeStyle = color;
    context.lineWidth = 1.6;
    context.stroke(curves);
    context.lineWidth = 1;
    context.globalAlpha = 0.5;
    context.stroke(rounds);
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
      const x = frameToX(scale, frameSeen(one.time, key.frame));
      const y = valueToY(one.values, key.value, height);
      if (x < -MARK.wide || x > scale.width + MARK.wide || y < -MARK.tall || y > height + MARK.tall) continue;
      const on = isPicked(graph.picks, one.shown.key, key.id);
      context.fillStyle = ground;
      context.fillRect(x - MARK.wide - 1, y - MARK.tall - 1, 2 * MARK.wide + 2, 2 * MARK.tall + 2);
      context.fillStyle = on ? lamp : colour(one);
      context.fillRect(x - MARK.wide, y - MARK.tall, 2 * MARK.wide, 2 * MARK.tall);
    }
}

/** How far beside the graph something is drawn, in pixels. */
const BESIDE = 20;

const within = (value: number, length: number): number => Math.max(-BESIDE, Math.min(length + BESIDE, value));

/** A line through numbers at frames; with gaps on every other frame where it is of what lies below. */
function drawSamples(
  context: CanvasRenderingContext2D,
  { scale, height }: Graph,
  values: Values,
  from: number,
  samples: Float64Array,
  gaps: boolean,
): void {
  context.beginPath();
  for (let k = 0; k < samples.length; k++) {
    const x = frameToX(scale, from + k);
    const y = within(valueToY(values, samples[k], height), height);
    if (k === 0 || (gaps && k % 2 === 0)) context.moveTo(x, y);
    else context.lineTo(x, y);
  }
  context.stroke();
}

/** Before its first key and after its last one a curve holds. */
function addEnds(path: Path2D, graph: Graph, one: PlacedCurve, { keys }: Curve): void {
  const backwards = one.time.speed < 0;
  for (const [key, x] of [
    [keys[0], backwards ? graph.scale.width : 0],
    [keys[keys.length - 1], backwards ? 0 : graph.scale.width],
  ] as const) {
    const at = spotOf(graph, one, key.frame, key.value);
    if (at.y < 0 || at.y > graph.height) continue;
    path.moveTo(within(at.x, graph.scale.width), at.y);
    path.lineTo(x, at.y);
  }
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

/** Pixels from one value of a sum to the next. */
const APART = 3;

/** Draws the weights of layers that are the same at every frame, and, as a line of dots, what all come to together. */
function drawSum(
  context: CanvasRenderingContext2D,
  { project, summed, scales, scale, height }: Graph,
  color: string,
): void {
  const values = scales.get('part');
  if (summed.length === 0 || !values) return;
  context.lineWidth = 1.6;
  for (const { id, weight, color: own } of project.layers) {
    if (!summed.includes(id) || typeof weight !== 'number') continue;
    context.strokeStyle = own ?? color;
    const y = valueToY(values, weight, height);
    context.beginPath();
    context.moveTo(0, y);
    context.lineTo(scale.width, y);
    context.stroke();
  }
  const ids = weighed(project, summed);
  context.fillStyle = color;
  for (let x = 0; x < scale.width; x += APART) {
    const frame = scale.from + (x / scale.width) * (scale.to - scale.from);
    context.fillRect(x, valueToY(values, sumOfWeights(project, ids, frame), height) - 0.75, 1.5, 1.5);
  }
}
