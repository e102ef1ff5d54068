import { Box, Button, Text } from '@chakra-ui/react';
import { baseOf, type Take, takeOf } from '@evlay/core';
import { type Job, startJob } from '@evlay/core/job';
import { partLabel } from '@evlay/core/rig';
import { useEffect, useState } from 'react';
import { Bar, BarChart, Cell, ResponsiveContainer, XAxis, YAxis } from 'recharts';
import { perform } from '../commands/command.js';
import { takeApartOverBase } from '../commands/stack/apart.js';
import { LocalNumber } from '../controls/DragNumber.js';
import { useEditor, useProject } from '../editor/context.js';
import { explainTake } from '../jobs/workers.js';
import { colorOf } from '../theme/theme.js';
import { useTheme } from '../theme/use-theme.js';
import { notify } from '../ui/notify.js';
import { ProgressBar } from '../ui/ProgressBar.js';
import { Row } from '../ui/Row.js';
import type { ApartLayers, Explained } from '../workers/apart.js';

/** Motions that are less alike than this are hardly versions of each other. */
const LITTLE = 0.3;

/** Parts of a component that are named; of more their number is told. */
const NAMED = 2;

const labelOf = (parts: readonly string[]): string =>
  parts.length > NAMED
    ? `${parts.slice(0, NAMED).map(partLabel).join(', ')} + ${parts.length - NAMED}`
    : parts.map(partLabel).join(', ');

/** Pixels that the longest of some labels takes at the size of the axis, so that none is broken into lines. */
const widthOf = (labels: readonly string[]): number =>
  16 + 6 * Math.max(...labels.map((label) => label.length));

/** A finished version of the base's performance, taken apart: what each layer would explain, and how many are wanted. */
export function TakeApart({ take }: { take: Take }) {
  const editor = useEditor();
  const base = useProject((project) => baseOf(project));
  const takes = useProject((project) => project.takes);
  const theme = useTheme();
  const [found, setFound] = useState<Explained>();
  const [looking, setLooking] = useState(false);
  const [count, setCount] = useState(0);
  const [result, setResult] = useState<ApartLayers>();
  const [job, setJob] = useState<Job<void>>();
  const running = job !== undefined;
  // Another take, or another base: what was found is of no use.
  // biome-ignore lint/correctness/useExhaustiveDependencies: these say when it is outdated
  useEffect(() => {
    setFound(undefined);
    setLooking(false);
  }, [take.id, base.content, takes]);
  if (takeOf(base)?.take === take.id) return null;

  const look = () => {
    setLooking(true);
    setResult(undefined);
    explainTake(editor.history.project(), take.id)
      .then((explained) => {
        setFound(explained);
        setCount(explained.usual);
      })
      .catch((error: Error) => notify({ title: 'It was not compared', text: error.message, alarm: true }))
      .finally(() => setLooking(false));
  };
  const run = () => {
    const own = startJob('Taking it apart', (work) => {
      return new Promise<void>((resolve) => {
        const ended = (apart?: ApartLayers) => {
          setResult(apart);
          resolve();
        };
        if (!perform(editor, takeApartOverBase, { take: take.id, count, own: work, ended })) resolve();
      });
    });
    setJob(own);
    void own.result.finally(() => setJob(undefined));
  };
  const explained = found?.components.slice(0, count).reduce((sum, { share }) => sum + share, 0) ?? 0;
  const percent = (share: number) => `${(100 * share).toFixed(share < 0.1 ? 1 : 0)} %`;
  return (
    <>
      <Row label="apart">
        <Button
          size="xs"
          variant="outline"
          borderColor="line"
          color="text"
          loading={looking}
          onClick={look}
          title={`A finished version of “${base.name}”: which pose changes of which parts, over time, make the difference`}
        >
          Compare with the base
        </Button>
      </Row>
      {found?.components.length === 0 && (
        <Text color="quiet" role="status">
          It does not differ from “{base.name}”.
        </Text>
      )}
      {found && found.components.length > 0 && (
        <Box as="section" aria-label="Taken apart">
          {found.alike < LITTLE && (
            <Text color="alarm" role="status">
              It has little in common with “{base.name}”: are they versions of one performance? Nearly all of
              it would stand in what is left, frame by frame.
            </Text>
          )}
          <Box height={`${16 * found.components.length + 8}px`} aria-hidden="true">
            <ResponsiveContainer width="100%" height="100%">
              <BarChart
                accessibilityLayer={false}
                layout="vertical"
                data={found.components.map(({ parts, share }, k) => ({
                  part: labelOf(parts),
                  share: 100 * share,
                  on: k < count,
                }))}
                margin={{ top: 0, right: 34, bottom: 0, left: 0 }}
              >
                <XAxis type="number" hide domain={[0, 'dataMax']} />
                <YAxis
                  type="category"
                  dataKey="part"
                  width={widthOf(found.components.map(({ parts }) => labelOf(parts)))}
                  interval={0}
                  tick={{ fill: colorOf('quiet', theme), fontSize: 11 }}
                  tickLine={false}
                  axisLine={false}
                  allowDuplicatedCategory
                />
                <Bar
                  dataKey="share"
                  isAnimationActive={false}
                  label={{
                    position: 'right',
                    fill: colorOf('quiet', theme),
                    fontSize: 11,
                    formatter: (value) => `${Number(value).toFixed(Number(value) < 10 ? 1 : 0)} %`,
                  }}
                >
                  {found.components.map(({ parts, share }, k) => (
                    <Cell key={`${parts} ${share}`} fill={colorOf(k < count ? 'lamp' : 'line', theme)} />
                  ))}
                </Bar>
              </BarChart>
            </ResponsiveContainer>
          </Box>
          <Row label="layers">
            <LocalNumber
              label="Layers that it is taken apart into"
              read={() => count}
              min={0}
              max={found.components.length}
              step={1}
              decimals={0}
              width="34px"
              disabled={running}
              onChange={(value) => setCount(Math.round(value))}
            />
            <Text color="quiet" flex="1">
              explain {percent(explained)}, one more the rest
            </Text>
          </Row>
          {job ? (
            <Box display="flex" alignItems="center" gap="2">
              <ProgressBar label="Taking it apart" done={job.progress} />
              <Button size="xs" variant="outline" borderColor="line" color="text" onClick={job.cancel}>
                Cancel
              </Button>
            </Box>
          ) : (
            <Button size="xs" bg="lamp" color="onLamp" onClick={run} mt="1">
              Add as layers over “{base.name}”
            </Button>
          )}
          {result && <Result result={result} />}
        </Box>
      )}
    </>
  );
}

function Result({ result: { layers, left, error } }: { result: ApartLayers }) {
  const rig = useProject((project) => project.rig);
  const unit = useProject((project) => project.metresPerUnit * 100);
  const above = useProject((project) => project.layers.length - 1) - layers.length;
  return (
    <Text role="status" mt="1">
      {layers.length - 1} layers, and what is left: at most {left.angle.toFixed(1)}° (
      {rig.joints[left.turned].name}) and {(left.length * unit).toFixed(1)} cm ({rig.joints[left.moved].name}
      ). With all of them it is {take(error.length * unit)}.
      {above > 0 &&
        ` The ${above === 1 ? 'layer' : `${above} layers`} that ${above === 1 ? 'was' : 'were'} there still ${above === 1 ? 'plays' : 'play'} above them.`}
    </Text>
  );
}

const take = (centimetres: number): string => `the take again, to ${(10 * centimetres).toFixed(1)} mm`;
