import { Box, Button, Text } from '@chakra-ui/react';
import type { Job } from '@evlay/core/job';
import { facesOf } from '@evlay/core/rig';
import { perform } from '../commands/command.js';
import { downloadBake, stopBake } from '../commands/scene/bake.js';
import { useEditor, useProject } from '../editor/context.js';
import type { BakeWanted, DoneBake, DoneFile } from '../jobs/bake-pieces.js';
import { bytesText } from '../ui/bytes-text.js';
import { ProgressBar } from '../ui/ProgressBar.js';
import { Delivery } from './Delivery.js';
import { ErrorChart } from './ErrorChart.js';
import { IntoProject } from './IntoProject.js';
import { type BakeSettings, samplesText } from './settings.js';
import { Section } from './WhatColumn.js';

interface OutProps {
  readonly label: string;
  /** The bake that is under way. */
  readonly baking: Job<unknown> | undefined;
  readonly refused: boolean;
  readonly result: DoneBake | undefined;
  readonly settings: BakeSettings;
  readonly wanted: BakeWanted;
  readonly onChange: (changes: Partial<BakeSettings>) => void;
  readonly onRun: () => void;
  readonly onBakeIn: (as: 'take' | 'layer' | 'base') => void;
  /** What came of a bake into the project, in words. */
  readonly bakedIn: string | undefined;
}

/** The bake itself, and what came out of it. */
export function OutColumn({
  label,
  baking,
  refused,
  result,
  settings,
  wanted,
  onChange,
  onRun,
  onBakeIn,
  bakedIn,
}: OutProps) {
  const editor = useEditor();
  return (
    <>
      <Box
        px="4"
        py="3"
        display="flex"
        alignItems="center"
        gap="3"
        minHeight="64px"
        borderBottomWidth="1px"
        borderColor="line"
      >
        {baking ? (
          <>
            <ProgressBar label="Baking" done={baking.progress} />
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
          <Button size="sm" bg="lamp" color="onLamp" onClick={onRun} disabled={refused} flex="1" data-bake>
            {label}
          </Button>
        )}
      </Box>
      <IntoProject
        settings={settings}
        disabled={baking !== undefined || refused}
        onChange={onChange}
        onBakeIn={onBakeIn}
        done={bakedIn}
      />
      <Delivery wanted={wanted} range={settings.range} disabled={baking !== undefined || refused} />
      <Section title="What came out">
        {!result && (
          <Text color="quiet">
            {baking ? 'On its way …' : 'Nothing yet. The file is downloaded, and listed here with its error.'}
          </Text>
        )}
        {result && (
          <>
            <Text role="status" mb="1">
              {result.files.length === 1
                ? `${samplesText(result.files[0].frames)} in ${result.seconds.toFixed(1)} seconds, ${bytesText(result.bytes.size)}, downloaded as ${result.file}.`
                : `${result.files.length} files in ${result.seconds.toFixed(1)} seconds, ${bytesText(result.bytes.size)}, downloaded as ${result.file}.`}
            </Text>
            {result.files.map((file) => (
              <FileFacts key={file.file} file={file} />
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
          </>
        )}
      </Section>
    </>
  );
}

/** Whether the game or the shot still knows the joints: those in the file, read back, beside those that came in. */
function Compared({
  compared: { came, same, changed, added },
}: {
  compared: NonNullable<DoneFile['compared']>;
}) {
  const named = (names: readonly string[]) =>
    `${names.slice(0, NAMED).join(', ')}${names.length > NAMED ? ` and ${names.length - NAMED} more` : ''}`;
  return (
    <Text as="dd" color={changed.length + added.length > 0 ? 'alarm' : 'quiet'}>
      {same} of {came} joints as they came in: name, order, hierarchy
      {changed.length > 0 && `; another way: ${named(changed)}`}
      {added.length > 0 && `; new: ${named(added)}`}
    </Text>
  );
}

/** Joints that are named. */
const NAMED = 5;

function FileFacts({
  file: { file, animations, characters, compared, keys, over, size, frames, interval, warnings },
}: {
  file: DoneFile;
}) {
  const { rig, metresPerUnit } = useProject((project) => project);
  const count = (value: number) => value.toLocaleString('en-GB');
  return (
    <Box as="dl" py="1.5" borderTopWidth="1px" borderColor="line">
      <Text as="dt" fontWeight="600" truncate title={file}>
        {file}
      </Text>
      <Text as="dd" color="quiet">
        {samplesText(frames)}, {bytesText(size)}
      </Text>
      {compared && <Compared compared={compared} />}
      {characters && <Text as="dd">characters: {characters.join(', ')}</Text>}
      {animations && <Text as="dd">animations: {animations.join(', ')}</Text>}
      {keys && (
        <Text as="dd">
          {count(keys.after)} keys, where every sample would be {count(keys.before)}; at most{' '}
          {(keys.error.length * metresPerUnit * 1000).toFixed(2)} mm off ({rig.joints[keys.error.moved].name}{' '}
          at {(keys.error.movedAt * interval).toFixed(2)} s) and {keys.error.angle.toFixed(2)}° (
          {rig.joints[keys.error.turned].name})
          {keys.error.number > 0 &&
            `, ${keys.error.number.toFixed(4)} (${facesOf(rig)[keys.error.changed].name})`}
        </Text>
      )}
      {over && over.joints.length > 0 && (
        <Box as="dd">
          <ErrorChart over={over} />
        </Box>
      )}
      {warnings.map((warning) => (
        <Text as="dd" key={warning} color="alarm">
          {warning}
        </Text>
      ))}
    </Box>
  );
}
