import { Box, Button, chakra, Text } from '@chakra-ui/react';
import { badness, countOf, worstFirst } from '@evlay/core/apply';
import { type KeyLimits, usualLimits } from '@evlay/core/keys';
import { Trash2 } from 'lucide-react';
import { useEffect, useMemo, useState } from 'react';
import { useNavigate } from 'react-router';
import { useStore } from 'zustand';
import { perform } from '../commands/command.js';
import { bakeEntries, goOn, leaveSheet } from '../commands/kits/sheets.js';
import { CommandButton, CommandChoice } from '../controls/CommandButton.js';
import { KeyLimitFields } from '../controls/KeyLimitFields.js';
import { useEditor, useProject } from '../editor/context.js';
import { lookAtOpened, openSheets, sheetStore } from '../jobs/sheets.js';
import { SheetCard } from '../sheet/SheetCard.js';
import type { SheetEntry } from '../storage/sheets.js';
import { Choice } from '../ui/Choice.js';
import { ProgressBar } from '../ui/ProgressBar.js';
import { Guarded } from './Guarded.js';

const FILTERS = ['all', 'worse than before', 'with faults', 'with events alone', 'failed', 'picked'] as const;
type Filter = (typeof FILTERS)[number];

/** What came of a kit on many takes, the worst first: looked through, opened one by one, baked together. */
export const Sheet = () => (
  <Guarded name="The sheet">
    <Cards />
  </Guarded>
);

function Cards() {
  const editor = useEditor();
  const navigate = useNavigate();
  const { id } = editor;
  const sheet = useStore(sheetStore, ({ sheets }) => sheets.get(id));
  const job = useStore(sheetStore, (state) => state.job);
  const baked = useStore(sheetStore, (state) => state.baked);
  const unit = useProject((project) => project.metresPerUnit);
  const rig = useProject((project) => project.rig);
  const [filter, setFilter] = useState<Filter>('all');
  const [byName, setByName] = useState(false);
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const [format, setFormat] = useState<'glb' | 'bvh'>('glb');
  const [few, setFew] = useState(false);
  const [limits, setLimits] = useState<KeyLimits>(() => usualLimits(rig));
  useEffect(() => {
    void openSheets().then(() => lookAtOpened(id));
  }, [id]);
  const entries = useMemo(() => ordered(sheet?.entries ?? [], byName), [sheet, byName]);
  if (!sheet)
    return (
      <Box as="main" flex="1" p="6">
        <chakra.h1 fontSize="18px" fontWeight="600" mb="2">
          Sheet
        </chakra.h1>
        <Text color="quiet" maxWidth="640px">
          What comes of a kit on many takes is shown here: how each moves, what is found before and after.
          Pick takes on the screen Takes and put a kit on them.
        </Text>
        <Button mt="3" size="xs" bg="lamp" color="onLamp" onClick={() => void navigate(`/p/${id}/takes`)}>
          To the takes
        </Button>
      </Box>
    );
  const shown = entries.filter((entry) => passes(entry, filter, picked));
  const done = entries.flatMap(({ take, state }) => (state === 'done' ? [take] : []));
  const chosen = done.filter((take) => picked.has(take));
  const waiting = entries.some(({ state }) => state === 'waiting');
  const bake = () =>
    perform(editor, bakeEntries, {
      takes: chosen.length > 0 ? chosen : done,
      format,
      ...(few && format === 'glb' && { limits }),
    });
  return (
    <Box as="main" flex="1" minHeight="0" display="flex" flexDirection="column">
      <Box
        display="flex"
        alignItems="center"
        gap="2"
        px="3"
        minHeight="44px"
        flexWrap="wrap"
        borderBottomWidth="1px"
        borderColor="line"
      >
        <chakra.h1 fontSize="18px" fontWeight="600">
          “{sheet.kit.name}” on {entries.length} {entries.length === 1 ? 'take' : 'takes'}
        </chakra.h1>
        <CommandButton command={leaveSheet} arg={undefined} icon={Trash2} />
        <Box flex="1" />
        {job && (
          <Box display="flex" alignItems="center" gap="2" width="260px">
            <Text color="quiet" whiteSpace="nowrap">
              {job.name}
            </Text>
            <ProgressBar label={job.name} done={job.progress} />
            <Choice on={false} onClick={job.cancel}>
              cancel
            </Choice>
          </Box>
        )}
        {!job && waiting && (
          <CommandChoice command={goOn} arg={undefined} on={false}>
            go on
          </CommandChoice>
        )}
        <Choice on={format === 'glb'} onClick={() => setFormat('glb')}>
          GLB
        </Choice>
        <Choice on={format === 'bvh'} onClick={() => setFormat('bvh')}>
          BVH
        </Choice>
        <Choice
          on={few && format === 'glb'}
          disabled={format !== 'glb'}
          title="Few keys, no further off than you say"
          onClick={() => setFew(!few)}
        >
          few keys
        </Choice>
        {few && format === 'glb' && <KeyLimitFields limits={limits} onChange={setLimits} />}
        <Button
          size="xs"
          bg="lamp"
          color="onLamp"
          disabled={done.length === 0 || job !== undefined}
          onClick={bake}
        >
          {chosen.length > 0 ? `Bake the ${chosen.length} picked` : 'Bake all'}
        </Button>
      </Box>
      <Box display="flex" alignItems="center" gap="1" px="3" height="36px" flex="none">
        {FILTERS.map((one) => (
          <Choice key={one} on={filter === one} onClick={() => setFilter(one)}>
            {one} {countText(entries, one, picked)}
          </Choice>
        ))}
        <Box flex="1" />
        <Choice
          on={picked.size > 0 && shown.every(({ take }) => picked.has(take))}
          onClick={() => setPicked(new Set(shown.map(({ take }) => take)))}
        >
          pick these
        </Choice>
        <Choice on={false} disabled={picked.size === 0} onClick={() => setPicked(new Set())}>
          none
        </Choice>
        <Choice on={!byName} onClick={() => setByName(false)}>
          the worst first
        </Choice>
        <Choice on={byName} onClick={() => setByName(true)}>
          by name
        </Choice>
      </Box>
      {shown.length === 0 && (
        <Text color="quiet" px="3" py="4">
          No take is so.
        </Text>
      )}
      <Box
        as="ul"
        listStyleType="none"
        aria-label="Takes of the sheet"
        flex="1"
        minHeight="0"
        overflowY="auto"
        px="3"
        pb="3"
        display="grid"
        gridTemplateColumns="repeat(auto-fill, minmax(290px, 1fr))"
        alignContent="start"
        gap="2"
      >
        {shown.map((entry) => (
          <SheetCard
            key={entry.take}
            entry={entry}
            keys={baked.get(entry.take)}
            unit={unit}
            picked={picked.has(entry.take)}
            onPick={(on) => setPicked(withOne(picked, entry.take, on))}
            go={(project) => void navigate(`/p/${project}`)}
          />
        ))}
      </Box>
    </Box>
  );
}

function withOne(set: ReadonlySet<string>, one: string, on: boolean): ReadonlySet<string> {
  const next = new Set(set);
  if (on) next.add(one);
  else next.delete(one);
  return next;
}

/** Those that failed first, then the worst; or all by name. */
function ordered(entries: readonly SheetEntry[], byName: boolean): SheetEntry[] {
  if (byName) return [...entries].sort((a, b) => a.name.localeCompare(b.name, 'en', { numeric: true }));
  const done = entries.flatMap((entry) =>
    entry.applied ? [{ name: entry.name, entry, applied: entry.applied }] : [],
  );
  return [
    ...entries.filter(({ state }) => state === 'failed'),
    ...worstFirst(done).map(({ entry }) => entry),
    ...entries.filter(({ state, applied }) => state !== 'failed' && !applied),
  ];
}

function passes({ take, state, applied }: SheetEntry, filter: Filter, picked: ReadonlySet<string>): boolean {
  if (filter === 'all') return true;
  if (filter === 'picked') return picked.has(take);
  if (filter === 'failed') return state === 'failed';
  if (!applied) return false;
  const [faults, , warnings] = badness(applied);
  if (filter === 'worse than before') return faults + warnings > 0;
  return filter === 'with faults' ? countOf(applied.after, 'fault') > 0 : applied.report.lonely.length > 0;
}

const countText = (entries: readonly SheetEntry[], filter: Filter, picked: ReadonlySet<string>): number =>
  entries.filter((entry) => passes(entry, filter, picked)).length;
