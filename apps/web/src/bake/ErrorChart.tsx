import { Box, chakra, Text } from '@chakra-ui/react';
import { CartesianGrid, Legend, Line, LineChart, ResponsiveContainer, XAxis, YAxis } from 'recharts';
import { useProject } from '../editor/context.js';
import type { DoneFile } from '../jobs/bake-pieces.js';
import { colorOf } from '../theme/theme.js';
import { useTheme } from '../theme/use-theme.js';

/** Colours of the joints (Okabe and Ito, 2008), the worst first. */
const COLORS = ['#E69F00', '#56B4E9', '#009E73', '#CC79A7'];

/** How far the joints that are off by the most are off over time, in millimetres. */
export function ErrorChart({ over }: { over: NonNullable<DoneFile['over']> }) {
  const rig = useProject((project) => project.rig);
  const unit = useProject((project) => project.metresPerUnit * 1000);
  const theme = useTheme();
  const quiet = colorOf('quiet', theme);
  const names = over.joints.map(({ joint }) => rig.joints[joint].name);
  const data = Array.from(over.joints[0]?.lengths ?? [], (_, k) => ({
    seconds: k * over.seconds,
    ...Object.fromEntries(over.joints.map(({ lengths }, i) => [names[i], lengths[k] * unit])),
  }));
  return (
    <Box as="figure" mt="1">
      <Text as="figcaption" color="quiet">
        Millimetres off over seconds, of the worst joints of different parts
      </Text>
      <Box height="150px" aria-hidden="true">
        <ResponsiveContainer width="100%" height="100%">
          <LineChart accessibilityLayer={false} data={data} margin={{ top: 6, right: 8, bottom: 0, left: 0 }}>
            <CartesianGrid stroke={colorOf('line', theme)} strokeDasharray="2 4" />
            <XAxis
              dataKey="seconds"
              type="number"
              domain={[0, 'dataMax']}
              tick={{ fill: quiet, fontSize: 11 }}
              tickFormatter={(value: number) => Number(value.toFixed(1)).toString()}
            />
            <YAxis
              width={30}
              tick={{ fill: quiet, fontSize: 11 }}
              tickFormatter={(value: number) => value.toPrecision(1)}
            />
            <Legend
              wrapperStyle={{ fontSize: 11 }}
              formatter={(name) => <chakra.span color="quiet">{name}</chakra.span>}
            />
            {names.map((name, i) => (
              <Line
                key={name}
                dataKey={name}
                stroke={COLORS[i]}
                dot={false}
                strokeDasharray={i === 0 ? undefined : `${6 - i} ${1 + i}`}
                isAnimationActive={false}
              />
            ))}
          </LineChart>
        </ResponsiveContainer>
      </Box>
    </Box>
  );
}
