import { type Rig, restPose } from '@evlay/core';
import { globalMatrices, rigHeight } from '@evlay/core/rig';
import { type Motion, readSample } from '@evlay/core/take';
import { useCallback, useEffect, useRef } from 'react';
import { colorOf } from '../theme/theme.js';
import { useTheme } from '../theme/use-theme.js';

/** How many figures stand in a strip, from the first sample to the last. */
const FIGURES = 9;
/** The strip looks at the figures from ahead and to their left, in radians from the front. */
const VIEWED_FROM = 0.75;

/** Small figures of a motion over time, each as it stands at its moment. */
export function FigureStrip({ take, width, height }: { take: Motion; width: number; height: number }) {
  const draw = useCallback(
    (context: CanvasRenderingContext2D) => drawFigures(context, take, width, height),
    [take, width, height],
  );
  return <Drawing draw={draw} width={width} height={height} />;
}

/** A small figure of a skeleton at rest. */
export function RestPicture({ rig, size }: { rig: Rig; size: number }) {
  const draw = useCallback(
    (context: CanvasRenderingContext2D) => {
      const pose = restPose(rig);
      const matrices = globalMatrices(rig, pose, new Float64Array(16 * rig.joints.length));
      drawAll(context, rig, [placesOf(rig, matrices)], size, size);
    },
    [rig, size],
  );
  return <Drawing draw={draw} width={size} height={size} />;
}

interface DrawingProps {
  readonly draw: (context: CanvasRenderingContext2D) => void;
  readonly width: number;
  readonly height: number;
}

function Drawing({ draw, width, height }: DrawingProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const theme = useTheme();
  useEffect(() => {
    const context = canvas.current?.getContext('2d');
    if (!context) return;
    const ratio = window.devicePixelRatio;
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    context.clearRect(0, 0, width, height);
    context.strokeStyle = colorOf('text', theme);
    context.lineWidth = 1.2;
    context.lineCap = 'round';
    draw(context);
  }, [draw, width, height, theme]);
  const ratio = window.devicePixelRatio;
  return (
    // biome-ignore lint/a11y/noAriaHiddenOnFocusable: a picture that says nothing that the card does not say
    <canvas
      ref={canvas}
      width={width * ratio}
      height={height * ratio}
      style={{ width, maxWidth: '100%', height }}
      aria-hidden="true"
    />
  );
}

function drawFigures(context: CanvasRenderingContext2D, take: Motion, width: number, height: number): void {
  const { rig } = take;
  const pose = restPose(rig);
  const matrices = new Float64Array(16 * rig.joints.length);
  const figures = Array.from({ length: FIGURES }, (_, k) => {
    readSample(take, Math.round((k * (take.count - 1)) / (FIGURES - 1)), pose);
    globalMatrices(rig, pose, matrices);
    return placesOf(rig, matrices);
  });
  drawAll(context, rig, figures, width, height);
}

/** Where joints are seen, beside the root and how high, 2 numbers each. */
function placesOf(rig: Rig, matrices: Float64Array): Float64Array {
  const [across, along] = [Math.cos(VIEWED_FROM), -Math.sin(VIEWED_FROM)];
  const root = [matrices[12], matrices[14]];
  return Float64Array.from({ length: 2 * rig.joints.length }, (_, i) => {
    const o = 16 * (i >> 1) + 12;
    return i % 2 === 1
      ? matrices[o + 1]
      : (matrices[o] - root[0]) * across + (matrices[o + 2] - root[1]) * along;
  });
}

/** Draws figures side by side, all at one size. */
function drawAll(
  context: CanvasRenderingContext2D,
  rig: Rig,
  figures: readonly Float64Array[],
  width: number,
  height: number,
): void {
  const n = rig.joints.length;
  const step = width / figures.length;
  const heights = figures.flatMap((figure) => [...figure].filter((_, i) => i % 2 === 1));
  const sides = figures.flatMap((figure) => [...figure].filter((_, i) => i % 2 === 0).map(Math.abs));
  const low = Math.min(...heights);
  const tall = Math.max(Math.max(...heights) - low, rigHeight(rig), 1e-6);
  const scale = Math.min((height - 6) / tall, (0.8 * step) / Math.max(...sides, 1e-6));
  for (const [k, figure] of figures.entries()) {
    const x = (k + 0.5) * step;
    context.beginPath();
    for (let j = 0; j < n; j++) {
      const { parent } = rig.joints[j];
      if (parent < 0) continue;
      context.moveTo(x + scale * figure[2 * parent], height - 3 - scale * (figure[2 * parent + 1] - low));
      context.lineTo(x + scale * figure[2 * j], height - 3 - scale * (figure[2 * j + 1] - low));
    }
    if (n === 1) context.arc(x, height / 2, 3, 0, 7);
    context.stroke();
  }
}
