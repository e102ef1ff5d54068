import { restPose } from '@evlay/core';
import { globalMatrices, rigHeight } from '@evlay/core/rig';
import { type Motion, readSample } from '@evlay/core/take';
import { useEffect, useRef } from 'react';
import { colorOf } from '../theme/theme.js';
import { useTheme } from '../theme/use-theme.js';

/** How many figures stand in a strip, from the first sample to the last. */
const FIGURES = 9;
/** The strip looks at the figures from ahead and to their left, in radians from the front. */
const VIEWED_FROM = 0.75;

/** Small figures of a motion over time, each as it stands at its moment. */
export function FigureStrip({ take, width, height }: { take: Motion; width: number; height: number }) {
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
    drawFigures(context, take, width, height);
  }, [take, width, height, theme]);
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
  const n = rig.joints.length;
  const pose = restPose(rig);
  const matrices = new Float64Array(16 * n);
  const step = width / FIGURES;
  const [across, along] = [Math.cos(VIEWED_FROM), -Math.sin(VIEWED_FROM)];
  const figures = Array.from({ length: FIGURES }, (_, k) => {
    readSample(take, Math.round((k * (take.count - 1)) / (FIGURES - 1)), pose);
    globalMatrices(rig, pose, matrices);
    const root = [matrices[12], matrices[14]];
    return Float64Array.from({ length: 2 * n }, (_, i) => {
      const o = 16 * (i >> 1) + 12;
      return i % 2 === 1
        ? matrices[o + 1]
        : (matrices[o] - root[0]) * across + (matrices[o + 2] - root[1]) * along;
    });
  });
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
