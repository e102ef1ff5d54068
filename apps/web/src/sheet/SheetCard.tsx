import { Box, chakra, Text } from '@chakra-ui/react';
import { type Applied, countOf, type FoundCount } from '@evlay/core/apply';
import { FolderOpen } from 'lucide-react';
import { perform } from '../commands/command.js';
import { openEntry } from '../commands/kits/sheets.js';
import { useEditor } from '../editor/context.js';
import type { SheetEntry } from '../storage/sheets.js';
import { ToolButton } from '../ui/ToolButton.js';
import type { KeysFacts } from '../workers/bake.worker.js';
import { PlayedStrip } from './PlayedStrip.js';

interface SheetCardProps {
  readonly entry: SheetEntry;
  readonly keys: KeysFacts | undefined;
  /** Metres a unit of the rig. */
  readonly unit: number;
  readonly picked: boolean;
  readonly onPick: (picked: boolean) => void;
  readonly go: (project: string) => void;
}

/** What came of one take: its poses, what is found before and after, and the way on. */
export function SheetCard({ entry, keys, unit, picked, onPick, go }: SheetCardProps) {
  const editor = useEditor();
  const { name, state, reason, applied, project } = entry;
  const open = () => perform(editor, openEntry, { take: entry.take, go });
  const bad = state === 'failed';
  return (
    <Box
      as="li"
      bg="panel"
      borderWidth="1px"
      borderColor={bad ? 'alarm' : picked ? 'quiet' : 'line'}
      borderRadius="l2"
      p="2"
      minWidth="0"
      display="flex"
      flexDirection="column"
      gap="1"
    >
      <Box display="flex" alignItems="center" gap="2">
        <chakra.input
          type="checkbox"
          aria-label={`Pick ${name}`}
          checked={picked}
          onChange={({ target }) => onPick(target.checked)}
          width="20px"
          height="20px"
          accentColor="var(--evlay-colors-lamp)"
          cursor="pointer"
        />
        <Text fontWeight="600" flex="1" truncate title={name}>
          {name}
        </Text>
        {project !== undefined && (
          <Text color="lamp" fontSize="12px" title="It was opened, and is what it is in its own project">
            own project
          </Text>
        )}
        {applied && <Text color="quiet">{applied.seconds.toFixed(1)} s</Text>}
        <ToolButton
          label={`Open ${name} and go on by hand`}
          icon={FolderOpen}
          disabled={!applied}
          onClick={open}
        />
      </Box>
      {applied ? (
        <>
          <chakra.button
            type="button"
            onClick={open}
            onDoubleClick={open}
            aria-label={`Open ${name}`}
            tabIndex={-1}
            bg="ground"
            borderRadius="l1"
            cursor="pointer"
            data-does="Plays under the pointer; click to open it and go on by hand"
          >
            <PlayedStrip strip={applied.strip} label={`Poses of ${name}`} />
          </chakra.button>
          <Box display="grid" gridTemplateColumns="52px 1fr" columnGap="2">
            <Text color="quiet">before</Text>
            <Found found={applied.before} />
            <Text color="quiet">after</Text>
            <Found found={applied.after} than={applied.before} />
          </Box>
          <Remark applied={applied} />
          {keys && (
            <Text color="quiet" fontSize="12px">
              {keys.after} of {keys.before} keys, off by {(1000 * unit * keys.error.length).toFixed(2)} mm and{' '}
              {keys.error.angle.toFixed(2)}°
            </Text>
          )}
        </>
      ) : (
        <Text color={bad ? 'alarm' : 'quiet'} role={bad ? 'alert' : undefined}>
          {bad ? reason : 'waiting …'}
        </Text>
      )}
    </Box>
  );
}

const NAMES = { fault: 'fault', warn: 'warning', note: 'note' } as const;

/** Findings by grade; more than there were before are in the alarm colour. */
function Found({ found, than }: { found: readonly FoundCount[]; than?: readonly FoundCount[] }) {
  const grades = (['fault', 'warn', 'note'] as const).filter((grade) => countOf(found, grade) > 0);
  const kinds = found.map(({ kind, grade, count }) => `${count} ${kind} (${NAMES[grade]})`).join(', ');
  if (grades.length === 0) return <Text color="quiet">nothing found</Text>;
  return (
    <Text title={kinds} truncate>
      {grades.map((grade, k) => {
        const count = countOf(found, grade);
        const worse = than !== undefined && grade !== 'note' && count > countOf(than, grade);
        return (
          <Text as="span" key={grade} color={worse ? 'alarm' : grade === 'note' ? 'quiet' : 'text'}>
            {k > 0 ? ', ' : ''}
            {count} {NAMES[grade]}
            {count === 1 ? '' : 's'}
          </Text>
        );
      })}
    </Text>
  );
}

/** What of the kit did not find its place. */
function Remark({ applied: { report } }: { applied: Applied }) {
  const { lonely, leftOut, idle, shifted } = report;
  const said = [
    ...(lonely.length > 0 ? [`${lonely.length} ${lonely.length === 1 ? 'event' : 'events'} alone`] : []),
    ...(shifted.length > 0 ? [`only moved: ${shifted.join(', ')}`] : []),
    ...(leftOut.length > 0 ? [`${leftOut.length} left out`] : []),
    ...(idle.length > 0 ? [`nothing left of ${idle.join(', ')}`] : []),
  ];
  if (said.length === 0) return null;
  const more = [
    ...lonely.map(({ name, frame }) => `${name} at ${Number(frame.toFixed(1))} meets none`),
    ...leftOut.map(({ layer, what, name }) => `${layer}: ${what} ${name} left out`),
  ];
  return (
    <Text color="lamp" fontSize="12px" truncate title={more.join('\n')}>
      {said.join(' · ')}
    </Text>
  );
}
