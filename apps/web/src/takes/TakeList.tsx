import { Box, Button, chakra, Input, Text } from '@chakra-ui/react';
import { type Project, type Take, takeOf } from '@evlay/core';
import { checkTake } from '@evlay/core/check';
import { takeById } from '@evlay/core/edit';
import { takeDuration } from '@evlay/core/take';
import { Link2, Trash2, TriangleAlert, X } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { useNavigate } from 'react-router';
import { useStore } from 'zustand';
import { perform } from '../commands/command.js';
import { putOnTakes } from '../commands/kits/sheets.js';
import {
  chooseTake,
  forgetRefused,
  joinSeveral,
  renameSeveral,
  takeSeveralOut,
} from '../commands/scene/takes.js';
import { CommandButton } from '../controls/CommandButton.js';
import { FigureStrip } from '../controls/FigureStrip.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import { lockerStore, openLocker } from '../jobs/locker.js';
import { Choice } from '../ui/Choice.js';
import { Select } from '../ui/Select.js';

export const LIST_WIDTH = 330;

/** From so many takes on they can be found and sorted. */
const MANY = 7;
const ORDERS = ['as they came', 'by name', 'the longest first', 'the worst first'] as const;
type Order = (typeof ORDERS)[number];

/** All takes of the project, those that were made below what they were made of. */
export function TakeList() {
  const editor = useEditor();
  const project = useProject((current) => current);
  const chosen = useSession((state) => state.take);
  const [wanted, setWanted] = useState('');
  const [order, setOrder] = useState<Order>('as they came');
  const [marked, setMarked] = useState<ReadonlySet<string>>(new Set());
  const last = useRef<string>(undefined);
  const shown = useMemo(() => listed(project, wanted, order), [project, wanted, order]);
  // What is gone is picked no longer.
  const picked = project.takes.flatMap(({ id }) => (marked.has(id) ? [id] : []));
  const inTurn = [...marked].filter((id) => picked.includes(id));
  const pick = (id: string, range: boolean) => {
    const ids = shown.map((take) => take.id);
    const from = range && last.current ? ids.indexOf(last.current) : -1;
    const to = ids.indexOf(id);
    last.current = id;
    const next = new Set(inTurn);
    if (from >= 0) for (const one of ids.slice(Math.min(from, to), Math.max(from, to) + 1)) next.add(one);
    else if (!next.delete(id)) next.add(id);
    setMarked(next);
  };
  return (
    <>
      <Refused />
      {project.takes.length >= MANY && (
        <Box display="flex" gap="2" mb="2">
          <Input
            size="xs"
            flex="1"
            minWidth="0"
            type="search"
            aria-label="Find takes"
            placeholder="find"
            value={wanted}
            onChange={(event) => setWanted(event.target.value)}
          />
          <Box flex="none" width="130px" display="flex" alignItems="center">
            <Select label="Order of the takes" value={order} onChoose={(value) => setOrder(value as Order)}>
              {ORDERS.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </Select>
          </Box>
        </Box>
      )}
      {picked.length > 0 && (
        <PickedTakes
          picked={picked}
          inTurn={inTurn}
          onAll={() => setMarked(new Set(shown.map(({ id }) => id)))}
          onNone={() => setMarked(new Set())}
        />
      )}
      {shown.length === 0 && <Text color="quiet">No take is called so.</Text>}
      <Box as="ul" listStyleType="none" aria-label="Takes" display="flex" flexDirection="column" gap="2">
        {shown.map((take) => (
          <TakeCard
            key={take.id}
            project={project}
            take={take}
            chosen={take.id === chosen}
            picked={marked.has(take.id)}
            onPick={(range) => pick(take.id, range)}
            onChoose={() => perform(editor, chooseTake, take.id)}
          />
        ))}
      </Box>
    </>
  );
}

/** The takes that are called as it is wanted, in an order; what is made of one stands below it. */
function listed(project: Project, wanted: string, order: Order): Take[] {
  const { takes } = project;
  const words = wanted.trim().toLowerCase();
  const fits = ({ name, source }: Take) =>
    name.toLowerCase().includes(words) || source.file.toLowerCase().includes(words);
  const groups = takes
    .filter(({ made }) => !made || !takeById(project, made.from))
    .map((take) => [take, ...takes.filter(({ made }) => made?.from === take.id)])
    .filter((group) => group.some(fits));
  const worst = (group: readonly Take[]) => Math.max(...group.map((take) => checkTake(project, take).length));
  const by: Record<Order, ((a: readonly Take[], b: readonly Take[]) => number) | undefined> = {
    'as they came': undefined,
    'by name': ([a], [b]) => a.name.localeCompare(b.name, 'en', { numeric: true }),
    'the longest first': ([a], [b]) => takeDuration(b) - takeDuration(a),
    'the worst first': (a, b) => worst(b) - worst(a),
  };
  const compare = by[order];
  return (compare ? groups.sort(compare) : groups).flat();
}

/** What is done with several takes at once. */
function PickedTakes({
  picked,
  inTurn,
  onAll,
  onNone,
}: {
  picked: readonly string[];
  /** The same in the order in which they were picked. */
  inTurn: readonly string[];
  onAll: () => void;
  onNone: () => void;
}) {
  const editor = useEditor();
  const [name, setName] = useState('');
  return (
    <Box
      as="section"
      aria-label="Picked takes"
      position="sticky"
      top="-12px"
      zIndex="1"
      bg="panel"
      borderRadius="l2"
      p="2"
      mb="2"
    >
      <Box display="flex" alignItems="center" gap="1">
        <Text flex="1">{picked.length} picked</Text>
        <Choice on={false} onClick={onAll}>
          all
        </Choice>
        <Choice on={false} onClick={onNone}>
          none
        </Choice>
        <CommandButton
          command={joinSeveral}
          arg={inTurn}
          icon={Link2}
          does="one after the other, in the order in which they were picked"
        />
        <CommandButton command={takeSeveralOut} arg={picked} icon={Trash2} />
      </Box>
      <PutKit picked={picked} />
      <chakra.form
        display="flex"
        gap="1"
        mt="1"
        onSubmit={(event) => {
          event.preventDefault();
          if (perform(editor, renameSeveral, { takes: picked, name })) setName('');
        }}
      >
        <Input
          size="xs"
          aria-label="New name of the picked takes"
          placeholder={picked.length > 1 ? 'new name, numbered' : 'new name'}
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
        <Button type="submit" size="xs" variant="outline" borderColor="line" color="text">
          Rename
        </Button>
      </chakra.form>
    </Box>
  );
}

/** Chooses the kit of the locker that is put on the picked takes. */
function PutKit({ picked }: { picked: readonly string[] }) {
  const editor = useEditor();
  const navigate = useNavigate();
  const items = useStore(lockerStore, (state) => state.items);
  useEffect(() => void openLocker(), []);
  const kits = (items ?? []).filter(({ kind }) => kind === 'kit' || kind === 'layer');
  const put = (thing: string) => {
    if (thing !== '' && perform(editor, putOnTakes, { takes: picked, thing }))
      void navigate(`/p/${editor.id}/sheet`);
  };
  if (kits.length === 0)
    return (
      <Text color="quiet" fontSize="12px">
        To repair all of them alike, make a kit of layers on Layers.
      </Text>
    );
  return (
    <Box display="flex" mt="1">
      <Select label="Put a kit on the picked takes" value="" onChoose={put}>
        <option value="">put a kit on them …</option>
        {kits.map(({ id, name, kind }) => (
          <option key={id} value={id}>
            {name}
            {kind === 'layer' ? ', a layer' : ''}
          </option>
        ))}
      </Select>
    </Box>
  );
}

/** The files that were not brought in, each with its reason. */
function Refused() {
  const refused = useSession((state) => state.refusedFiles);
  if (refused.length === 0) return null;
  return (
    <Box as="section" aria-label="Files that were not brought in" bg="panel" borderRadius="l2" p="2" mb="2">
      <Box display="flex" alignItems="center">
        <Text color="alarm" flex="1">
          {refused.length} {refused.length === 1 ? 'file was' : 'files were'} not brought in
        </Text>
        <CommandButton command={forgetRefused} arg={undefined} icon={X} />
      </Box>
      <Box as="ul" listStyleType="none" maxHeight="160px" overflowY="auto">
        {refused.map(({ file, reason }, k) => (
          <Text as="li" key={k} color="quiet" fontSize="12px">
            <Text as="span" color="text">
              {file}
            </Text>{' '}
            {reason.replace(`${file}: `, '')}
          </Text>
        ))}
      </Box>
    </Box>
  );
}

interface TakeCardProps {
  readonly project: Project;
  readonly take: Take;
  readonly chosen: boolean;
  readonly picked: boolean;
  readonly onPick: (range: boolean) => void;
  readonly onChoose: () => void;
}

function TakeCard({ project, take, chosen, picked, onPick, onChoose }: TakeCardProps) {
  const findings = useMemo(() => checkTake(project, take), [project, take]);
  const inner = take.made !== undefined;
  const from = inner ? takeById(project, take.made!.from)?.name : undefined;
  const plays = project.layers.filter((layer) => takeOf(layer)?.take === take.id).map(({ name }) => name);
  return (
    <Box as="li" pl={inner ? '4' : '0'} position="relative">
      <chakra.button
        type="button"
        aria-pressed={chosen}
        aria-label={`Choose ${take.name}${from ? `, made of ${from}` : ''}`}
        onClick={(event) => {
          if (event.ctrlKey || event.metaKey || event.shiftKey) onPick(event.shiftKey);
          else onChoose();
        }}
        display="block"
        width="100%"
        textAlign="left"
        bg={chosen || picked ? 'raised' : 'panel'}
        borderWidth="1px"
        borderColor={chosen ? 'lamp' : picked ? 'quiet' : 'line'}
        borderRadius="l2"
        px="2"
        py="1.5"
        cursor="pointer"
        _hover={{ bg: 'raised' }}
      >
        <Box display="flex" alignItems="center" gap="2">
          <Text fontWeight="600" truncate title={take.name}>
            {take.name}
          </Text>
          <Box flex="1" />
          {plays.length > 0 && (
            <Text color="quiet" truncate maxWidth="120px" title={`played by ${plays.join(', ')}`}>
              {plays.join(', ')}
            </Text>
          )}
          {findings.length > 0 && (
            <Box display="flex" alignItems="center" gap="1" color="lamp" flex="none">
              <TriangleAlert size={13} aria-hidden />
              <Text>{findings.length}</Text>
            </Box>
          )}
          <Box width="20px" flex="none" />
        </Box>
        <Text color="quiet" truncate>
          {factsOf(take)}
          {from ? ` · of ${from}` : ` · ${take.source.file.replace(/^.*\//, '')}`}
        </Text>
        <FigureStrip take={take} width={LIST_WIDTH - (inner ? 54 : 38)} height={46} />
      </chakra.button>
      <chakra.input
        type="checkbox"
        aria-label={`Pick ${take.name}`}
        title="Picks it, to rename or take out several; Shift picks all between"
        checked={picked}
        onChange={(event) => onPick((event.nativeEvent as MouseEvent).shiftKey)}
        position="absolute"
        top="4px"
        right="4px"
        width="24px"
        height="24px"
        accentColor="var(--evlay-colors-lamp)"
        cursor="pointer"
      />
    </Box>
  );
}

/** Length and rate of a take in a few words. */
export function factsOf(take: Take): string {
  const rate = 1 / take.interval;
  const samples = `${take.count} sample${take.count === 1 ? '' : 's'}`;
  return `${takeDuration(take).toFixed(2)} s · ${Number(rate.toFixed(2))} a second · ${samples}`;
}
