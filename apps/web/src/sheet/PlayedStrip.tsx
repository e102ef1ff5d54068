import type { Strip } from '@evlay/core/apply';
import { useEffect, useRef, useState } from 'react';
import { colorOf } from '../theme/theme.js';
import { useTheme } from '../theme/use-theme.js';
import { drawPose, drawStrip } from '../ui/draw-strip.js';
import { useWidth } from '../ui/use-width.js';

const HIGH = 84;
/** Poses beside each other, and milliseconds that one is shown while it plays. */
const POSES = 7;
const EACH = 90;

interface PlayedStripProps {
  readonly strip: Strip;
  readonly label: string;
}

/** A strip of poses that plays while the pointer is on it: where the pointer is, there it begins. */
export function PlayedStrip({ strip, label }: PlayedStripProps) {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const width = useWidth(box, 300);
  const theme = useTheme();
  const [from, setFrom] = useState<number>();
  useEffect(() => {
    const context = canvas.current?.getContext('2d');
    if (!context) return;
    const ratio = window.devicePixelRatio;
    const draw = (at: number | undefined) => {
      context.setTransform(ratio, 0, 0, ratio, 0, 0);
      context.clearRect(0, 0, width, HIGH);
      context.lineCap = 'round';
      context.lineWidth = 1.3;
      context.strokeStyle = colorOf(at === undefined ? 'text' : 'line', theme);
      drawStrip(context, strip, POSES, width, HIGH);
      if (at === undefined) return;
      const x =
        (Math.min(POSES - 1, (at / Math.max(1, strip.poses.length - 1)) * (POSES - 1)) + 0.5) *
        (width / POSES);
      context.strokeStyle = colorOf('lamp', theme);
      context.lineWidth = 2;
      drawPose(context, strip, at, x, HIGH - 6, (HIGH - 12) / 1.1);
    };
    draw(from);
    if (from === undefined || matchMedia('(prefers-reduced-motion: reduce)').matches) return;
    let at = from;
    const timer = setInterval(() => {
      at = (at + 1) % strip.poses.length;
      draw(at);
    }, EACH);
    return () => clearInterval(timer);
  }, [strip, width, theme, from]);
  const ratio = window.devicePixelRatio;
  return (
    <div
      ref={box}
      style={{ width: '100%' }}
      onPointerMove={({ nativeEvent }) =>
        from === undefined && setFrom(Math.round((nativeEvent.offsetX / width) * (strip.poses.length - 1)))
      }
      onPointerLeave={() => setFrom(undefined)}
    >
      <canvas
        ref={canvas}
        role="img"
        aria-label={label}
        width={width * ratio}
        height={HIGH * ratio}
        style={{ width: '100%', height: HIGH, display: 'block' }}
      />
    </div>
  );
}
