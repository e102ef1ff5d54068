import { Box, Button, chakra, Text } from '@chakra-ui/react';
import { type CompiledLayer, compileStack, layerTags } from '@evlay/core';
import { type BakeFormat, bakeBytes, bakeRefusal, planBake } from '@evlay/core/bake';
import { largestAlpha } from '@evlay/core/evaluate';
import { characterOf } from '@evlay/core/rig';
import { memo, useMemo, useState } from 'react';
import { bake, type DoneBake, downloadBake, stopBake } from '../commands/bake.js';
import { perform } from '../commands/command.js';
import { LocalNumber } from '../controls/DragNumber.js';
import { LayerMark } from '../controls/LayerMark.js';
import { frameUnits } from '../controls/units.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import { Choice } from '../ui/Choice.js';
import { ProgressBar } from '../ui/ProgressBar.js';
import { newSignal } from '../ui/signal.js';

const FORMATS: readonly [BakeFormat, string][] = [
  ['bvh', 'BVH'],
  ['glb', 'GLB'],
];

/** How far the bake has come. */
const progress = newSignal(0);

/** What will be baked, the bake itself with progress and cancel, and the download. */
export function Bake() {
  const editor = useEditor();
  const project = useProject((current) => current);
  const variant = useSession((state) => state.variant);
  const [range, setRange] = useState<readonly [number, number]>(project.range);
  const [rate, setRate] = useState(project.fps);
  const character = useProject((project) => project.character !== undefined);
  const [format, setFormat] = useState<BakeFormat>(character ? 'glb' : 'bvh');
  const [props, setProps] = useState(false);
  const [running, setRunning] = useState(false);
  const [result, setResult] = useState<DoneBake>();
  const plan = planBake(project, { range, fps: rate });
  // The motion goes onto the character's own file.
  const own = format === 'glb' ? (project.character?.bytes.length ?? 0) : 0;
  const backwards = range[1] < range[0];
  const refused = backwards
    ? `the last frame, ${range[1]}, lies before the first, ${range[0]}`
    : bakeRefusal(project.rig, plan, format);

  const run = () => {
    progress.set(0);
    setRunning(true);
    setResult(undefined);
    perform(editor, bake, {
      job: { range, fps: rate, format, props: props && format === 'glb' },
      onProgress: progress.set,
      ended(done) {
        setRunning(false);
        setResult(done);
      },
    });
  };

  return (
    <Box as="main" flex="1" overflowY="auto">
      <Box maxWidth="760px" mx="auto" px="6" py="6" display="flex" flexDirection="column" gap="5">
        <chakra.h1 fontSize="22px" fontWeight="600">
          Bake
        </chakra.h1>
        <Section title="What is baked">
          <Text mb="2">
            {characterOf(project.rig).joints.length} joints of “{project.name}”, with names, order and
            hierarchy as they came in.
          </Text>
          {variant !== undefined && (
            <Text color="lamp" mb="1">
              As the variant “{variant}”, which is shown on Layers
            </Text>
          )}
          <Stack range={range} />
        </Section>
        <Section title="Range and rate">
          <Box display="flex" alignItems="center" gap="2" flexWrap="wrap">
            <Text color="quiet">frames</Text>
            <LocalNumber
              label="First frame to bake"
              read={() => range[0]}
              step={1}
              decimals={0}
              units={frameUnits(project.fps)}
              width="56px"
              disabled={running}
              onChange={(v) => setRange([Math.round(v), range[1]])}
            />
            <Text color="quiet">to</Text>
            <LocalNumber
              label="Last frame to bake"
              read={() => range[1]}
              step={1}
              decimals={0}
              units={frameUnits(project.fps)}
              width="56px"
              disabled={running}
              onChange={(v) => setRange([range[0], Math.round(v)])}
            />
            <Text color="quiet" ml="4">
              samples a second
            </Text>
            <LocalNumber
              label="Samples a second"
              read={() => rate}
              min={1}
              max={1000}
              step={1}
              decimals={2}
              width="68px"
              disabled={running}
              onChange={setRate}
            />
          </Box>
          {refused ? (
            <Text color="alarm" mt="2" role="alert">
              This cannot be baked: {refused}.
            </Text>
          ) : (
            <Text color="quiet" mt="2">
              {samplesText(plan.count)}, {((plan.count - 1) / rate).toFixed(2)} seconds, about{' '}
              {bytesText(bakeBytes(project.rig, plan, format) + own)}.
            </Text>
          )}
        </Section>
        <Section title="Format">
          <Box display="flex" alignItems="center" gap="2">
            {FORMATS.map(([kind, label]) => (
              <Choice key={kind} on={format === kind} disabled={running} onClick={() => setFormat(kind)}>
                {label}
              </Choice>
            ))}
          </Box>
          {format === 'glb' && project.props.length > 0 && (
            <Box mt="2">
              <Choice on={props} disabled={running} onClick={() => setProps(!props)}>
                with {project.props.length === 1 ? 'the prop' : `the ${project.props.length} props`} as nodes
                beside the character
              </Choice>
            </Box>
          )}
          <Text color="quiet" mt="2">
            {format === 'bvh'
              ? 'A motion in text: names, order, offsets and channels of the skeleton as they came in.'
              : character
                ? 'The character’s own file with the motion as one more animation; everything else in it stays as it is.'
                : 'Binary glTF: a node a joint and one animation, in metres. No mesh goes along.'}
          </Text>
        </Section>
        <Box display="flex" alignItems="center" gap="4" minHeight="40px">
          {running ? (
            <>
              <ProgressBar label="Baking" done={progress} />
              <Button
                size="sm"
                variant="outline"
                borderColor="line"
                color="text"
                onClick={() => perform(editor, stopBake, undefined)}
              >
                Cancel
              </Button>
            </>
          ) : (
            <Button size="sm" bg="lamp" color="onLamp" onClick={run} disabled={refused !== undefined}>
              Bake to {format.toUpperCase()}
            </Button>
          )}
        </Box>
        {result && (
          <Section title="Baked">
            <Text role="status">
              {samplesText(result.frames)} in {result.seconds.toFixed(1)} seconds,{' '}
              {bytesText(result.bytes.length)}, downloaded as {result.file}.
            </Text>
            {result.warnings.map((warning) => (
              <Text key={warning} color="alarm" mt="1">
                {warning}
              </Text>
            ))}
            <Button
              mt="3"
              size="xs"
              variant="outline"
              borderColor="line"
              color="text"
              onClick={() => downloadBake(result)}
            >
              Download again
            </Button>
          </Section>
        )}
      </Box>
    </Box>
  );
}

function Section({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <Box as="section" bg="panel" borderWidth="1px" borderColor="line" borderRadius="l2" p="4">
      <chakra.h2 fontWeight="600" mb="2">
        {title}
      </chakra.h2>
      {children}
    </Box>
  );
}

const samplesText = (count: number): string =>
  `${count.toLocaleString('en-GB')} ${count === 1 ? 'sample' : 'samples'}`;

const bytesText = (bytes: number): string =>
  bytes < 1e6 ? `${Math.max(1, Math.round(bytes / 1000))} kB` : `${(bytes / 1e6).toFixed(1)} MB`;

/** Frames at which it is looked how much a layer counts in the range. */
const LOOKS = 200;

/** How much a layer counts in a range, in words: weight and fades, in the parts where it counts most. */
function countsText(compiled: CompiledLayer, [first, last]: readonly [number, number]): string {
  let [least, most] = [Number.POSITIVE_INFINITY, 0];
  for (let k = 0; k <= LOOKS; k++) {
    const counts = largestAlpha(compiled, first + (k / LOOKS) * (last - first));
    least = Math.min(least, counts);
    most = Math.max(most, counts);
  }
  if (most === 0) return 'counts nowhere in this range';
  return most - least < 0.005
    ? `counts ${most.toFixed(2)}`
    : `counts ${least.toFixed(2)} to ${most.toFixed(2)}`;
}

/** The layers that count, from the top down, as they go into the bake. */
const Stack = memo(function Stack({ range }: { range: readonly [number, number] }) {
  const project = useProject((current) => current);
  const { layers } = project;
  const { live, layers: compiled } = useMemo(() => compileStack(project), [project]);
  const tags = layerTags(layers);
  return (
    <Box as="ul" listStyleType="none">
      {[...layers.entries()].reverse().map(([i, layer]) => (
        <Box
          as="li"
          key={layer.id}
          display="flex"
          alignItems="center"
          gap="3"
          py="1"
          opacity={live[i] === false ? 0.55 : 1}
        >
          <LayerMark index={i} small />
          <Text width="220px" truncate title={`${tags[i]} ${layer.name}`}>
            {layer.name}
          </Text>
          <Text color="quiet" width="80px">
            {i === 0 ? 'base' : layer.mode}
          </Text>
          <Text color="quiet" fontFamily="mono" fontSize="12px">
            {live[i] === false ? (layer.muted ? 'muted' : 'not soloed') : countsText(compiled[i], range)}
          </Text>
        </Box>
      ))}
    </Box>
  );
});
