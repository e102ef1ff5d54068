import { Box, Text } from '@chakra-ui/react';
import type { Rig } from '@evlay/core';

interface SkeletonMapProps {
  readonly title: string;
  readonly rig: Rig;
  /** Positions of the joints, 3 numbers a joint, seen from the front. */
  readonly positions: Float64Array;
  /** Positions of the same joints that are drawn faintly behind. */
  readonly before?: Float64Array;
  /** The joint that is marked, -1 for none. */
  readonly marked: number;
  /** Whether a joint belongs to a match. */
  readonly matched: (joint: number) => boolean;
  readonly onPick?: (joint: number) => void;
}

const WIDTH = 250;
const HEIGHT = 230;
const ROOM = 16;

/** A skeleton from the front, at rest. Joints that are matched are filled, the marked one is lit. */
export function SkeletonMap({ title, rig, positions, before, marked, matched, onPick }: SkeletonMapProps) {
  const all = before ? [positions, before] : [positions];
  const values = (axis: number) => all.flatMap((one) => rig.joints.map((_, j) => one[3 * j + axis]));
  const [xs, ys] = [values(0), values(1)];
  const [left, right, low, high] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  const scale = Math.min((WIDTH - 2 * ROOM) / (right - left || 1), (HEIGHT - 2 * ROOM) / (high - low || 1));
  const at = (from: Float64Array, j: number) =>
    [
      WIDTH / 2 + (from[3 * j] - (left + right) / 2) * scale,
      HEIGHT - ROOM - (from[3 * j + 1] - low) * scale,
    ] as const;
  const bones = (from: Float64Array) =>
    rig.joints
      .flatMap(({ parent }, j) => {
        if (parent < 0) return [];
        const [[a, b], [c, d]] = [at(from, parent), at(from, j)];
        return [`M${a.toFixed(1)} ${b.toFixed(1)} L${c.toFixed(1)} ${d.toFixed(1)}`];
      })
      .join(' ');
  return (
    <Box flex="1" minWidth="0">
      <Text color="quiet" truncate>
        {title}
      </Text>
      <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} width="100%" height={HEIGHT} aria-hidden="true">
        {before && (
          <path
            d={bones(before)}
            stroke="var(--evlay-colors-line)"
            strokeWidth={2}
            strokeDasharray="3 4"
            fill="none"
          />
        )}
        <path
          d={bones(positions)}
          stroke="var(--evlay-colors-quiet)"
          strokeWidth={2.5}
          strokeLinecap="round"
          fill="none"
        />
        {rig.joints.map(({ name }, j) => {
          const [x, y] = at(positions, j);
          const on = j === marked;
          return (
            // biome-ignore lint/a11y/noStaticElementInteractions: the table beside it does the same by key
            <circle
              key={name}
              cx={x}
              cy={y}
              r={on ? 6 : 3}
              fill={
                on
                  ? 'var(--evlay-colors-lamp)'
                  : matched(j)
                    ? 'var(--evlay-colors-text)'
                    : 'var(--evlay-colors-ground)'
              }
              stroke={on ? 'var(--evlay-colors-ground)' : 'var(--evlay-colors-quiet)'}
              strokeWidth={1}
              style={onPick && { cursor: 'pointer' }}
              onClick={() => onPick?.(j)}
            >
              <title>{name}</title>
            </circle>
          );
        })}
      </svg>
    </Box>
  );
}
