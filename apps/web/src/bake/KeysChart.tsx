import { Box, chakra, Text } from '@chakra-ui/react';
import type { KeyLimits } from '@evlay/core/keys';
import { useEffect, useState } from 'react';
import { CartesianGrid, Line, LineChart, ReferenceLine, ResponsiveContainer, XAxis, YAxis } from 'recharts';
import { useProject } from '../editor/context.js';
import { chartKeys } from '../jobs/workers.js';
import { colorOf } from '../theme/theme.js';
import { useTheme } from '../theme/use-theme.js';
import { notify } from '../ui/notify.js';
import type { KeysPoint } from '../workers/bake.worker.js';
import type { BakeSettings } from './settings.js';

/** Milliseconds without a change before the chart is worked out anew. */
const CALM = 400;

/** How many keys it takes to stay within how much, around the limits that are chosen: a point is chosen by a click. */
export function KeysChart({
  settings,
  paused,
  onLimits,
}: {
  settings: BakeSettings;
  /** While it is baked: the workers do one thing at a time. */
  paused: boolean;
  onLimits: (limits: KeyLimits) => void;
}) {
  const project = useProject((current) => current);
  const theme = useTheme();
  const { range, rate, limits, straight } = settings;
  const [around, setAround] = useState(limits);
  const [points, setPoints] = useState<readonly KeysPoint[]>([]);
  const unit = project.metresPerUnit * 1000;

  useEffect(() => {
    if (paused) return;
    setPoints([]);
    const left = new AbortController();
    const timer = setTimeout(() => {
      const job = { range, fps: rate, limits: around, straight };
      const found = (point: KeysPoint) => {
        if (!left.signal.aborted)
          setPoints((list) => [...list, point].sort((a, b) => a.limits.length - b.limits.length));
      };
      chartKeys(project, job, found, left.signal).catch(
        (error: Error) =>
          left.signal.aborted ||
          notify({ title: 'The keys were not counted', text: error.message, alarm: true }),
      );
    }, CALM);
    return () => {
      left.abort();
      clearTimeout(timer);
    };
    // The chart stays where it is while a point of it is chosen.
  }, [project, range, rate, around, straight, paused]);

  const known = points.some((point) => point.limits.length === limits.length);
  useEffect(() => {
    if (points.length > 0 && !known) setAround(limits);
  }, [limits, known, points.length]);

  const data = points.map((point) => ({
    off: point.limits.length * unit,
    keys: (100 * point.after) / point.before,
  }));
  const quiet = colorOf('quiet', theme);
  return (
    <Box>
      <Box height="150px" aria-hidden="true">
        <ResponsiveContainer width="100%" height="100%">
          <LineChart
            accessibilityLayer={false}
            data={data}
            margin={{ top: 6, right: 12, bottom: 16, left: 6 }}
          >
            <CartesianGrid stroke={colorOf('line', theme)} strokeDasharray="2 4" />
            <XAxis
              dataKey="off"
              type="number"
              scale="log"
              domain={['dataMin', 'dataMax']}
              tick={{ fill: quiet, fontSize: 11 }}
              tickFormatter={(value: number) => Number(value.toPrecision(2)).toString()}
              label={{
                value: 'millimetres off',
                position: 'insideBottom',
                offset: -8,
                fill: quiet,
                fontSize: 11,
              }}
            />
            <YAxis
              width={44}
              tick={{ fill: quiet, fontSize: 11 }}
              tickFormatter={(value: number) => `${value} %`}
              domain={[0, 'auto']}
              allowDecimals={false}
              interval={0}
            />
            <ReferenceLine x={limits.length * unit} stroke={colorOf('lamp', theme)} />
            <Line dataKey="keys" stroke={colorOf('text', theme)} dot={{ r: 3 }} isAnimationActive={false} />
          </LineChart>
        </ResponsiveContainer>
      </Box>
      <Box
        as="ul"
        listStyleType="none"
        aria-label="Keys for how far they may be off"
        display="flex"
        flexWrap="wrap"
        gap="1"
      >
        {points.map((point) => {
          const on = point.limits.length === limits.length;
          const off = `${(point.limits.length * unit).toPrecision(2)} mm, ${Number(point.limits.angle.toPrecision(2))}°`;
          return (
            <Box as="li" key={point.limits.length}>
              <chakra.button
                type="button"
                aria-pressed={on}
                onClick={() => onLimits(point.limits)}
                title={`Within ${off}: ${point.after.toLocaleString('en-GB')} keys of ${point.before.toLocaleString('en-GB')}`}
                px="1.5"
                py="0.5"
                borderRadius="l1"
                borderWidth="1px"
                borderColor={on ? 'lamp' : 'line'}
                bg={on ? 'raised' : 'transparent'}
                fontSize="12px"
                cursor="pointer"
              >
                {off}: {Math.round((100 * point.after) / point.before)} %
              </chakra.button>
            </Box>
          );
        })}
      </Box>
      {points[0]?.ofFirst !== undefined && (
        <Text color="quiet">of the first {points[0].ofFirst.toFixed(0)} seconds of the range</Text>
      )}
      {points.length === 0 && (
        <Text color="quiet" role="status">
          Looking how many keys it takes …
        </Text>
      )}
    </Box>
  );
}
