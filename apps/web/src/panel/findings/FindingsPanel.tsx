import { Box, chakra, Text } from '@chakra-ui/react';
import { layerById, layerIndex } from '@evlay/core';
import {
  FINDING_KINDS,
  type Finding,
  type FindingKind,
  findingKey,
  type LikeFindings,
  likeFindings,
  likenessOf,
} from '@evlay/core/check';
import { useMemo, useState } from 'react';
import { perform } from '../../commands/command.js';
import { fixOf, goToCause, goToFinding, lookAgain } from '../../commands/stack/findings.js';
import { setView } from '../../commands/view/view.js';
import { CommandChoice } from '../../controls/CommandButton.js';
import { FindingLine } from '../../controls/FindingLine.js';
import { findingText, KIND_NAMES, placesText } from '../../controls/finding-text.js';
import { LayerMark } from '../../controls/LayerMark.js';
import { useShownFindings } from '../../controls/shown-findings.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { Choice } from '../../ui/Choice.js';
import { Fold } from '../../ui/Fold.js';
import { FindingLimitsRows } from './FindingLimitsRows.js';

/** More entries than these are not listed at once, nor more places of one. */
const LISTED = 40;
const PLACES = 24;

/** What was found in the motion: what, where, when, how much; a click goes there and tells what it comes from. */
export function FindingsPanel() {
  const editor = useEditor();
  const findings = useSession((state) => state.findings);
  const hidden = useSession((state) => state.hiddenFindings);
  const marks = useSession((state) => state.findingMarks);
  const unfound = useSession((state) => state.unfound);
  const looked = useSession((state) => state.looked);
  const entries = useMemo(
    () => likeFindings((findings ?? []).filter(({ kind }) => !hidden.includes(kind))),
    [findings, hidden],
  );
  const grave = entries.filter(({ worst }) => worst.grade !== 'note');
  const notes = entries.filter(({ worst }) => worst.grade === 'note');
  return (
    <Box as="section" aria-label="Findings" px="3" py="2" display="flex" flexDirection="column" gap="1">
      {unfound !== undefined && (
        <Box role="alert">
          <Text color="alarm">The motion could not be looked over: {unfound}</Text>
          <Choice on={false} onClick={() => perform(editor, lookAgain, undefined)}>
            {lookAgain.name}
          </Choice>
        </Box>
      )}
      {looked < 1 && unfound === undefined && (
        <Text color="quiet" role="status">
          {Math.round(100 * looked)} % of the range is looked over, around the playhead first …
        </Text>
      )}
      {findings && findings.length > 0 && <Kinds findings={findings} hidden={hidden} marks={marks} />}
      {findings === undefined ? (
        unfound === undefined && <Text color="quiet">Looking over the motion …</Text>
      ) : grave.length === 0 ? (
        // Of a part that was looked over nothing is said of the whole.
        looked === 1 && (
          <Text color="quiet">
            Nothing found: feet stand, joints keep to what their takes do, nothing pops. Feet are looked at
            where the contacts of a take are known.
          </Text>
        )
      ) : (
        <Entries label="What was found" entries={grave} />
      )}
      {notes.length > 0 && (
        <Fold name="Notes" what={`${notes.length}, only unusual`}>
          <Entries label="Notes" entries={notes} />
        </Fold>
      )}
      <FindingLimitsRows />
    </Box>
  );
}

/** Which kinds of findings are shown, each with how many entries it has, and whether they are marked. */
function Kinds(props: { findings: readonly Finding[]; hidden: readonly FindingKind[]; marks: boolean }) {
  const { findings, hidden, marks } = props;
  const counts = useMemo(() => {
    const all = likeFindings(findings.filter(({ grade }) => grade !== 'note'));
    return FINDING_KINDS.map(
      (kind) => [kind, all.filter(({ worst }) => worst.kind === kind).length] as const,
    );
  }, [findings]);
  return (
    <Box
      role="group"
      aria-label="Kinds of findings that are shown"
      display="flex"
      flexWrap="wrap"
      gap="1"
      pb="1"
    >
      {counts
        .filter(([kind, count]) => count > 0 || hidden.includes(kind))
        .map(([kind, count]) => (
          <CommandChoice
            key={kind}
            command={setView}
            arg={{
              hiddenFindings: hidden.includes(kind)
                ? hidden.filter((one) => one !== kind)
                : [...hidden, kind],
            }}
            on={!hidden.includes(kind)}
            title={hidden.includes(kind) ? `Show ${KIND_NAMES[kind]}` : `Hide ${KIND_NAMES[kind]}`}
          >
            {KIND_NAMES[kind]} {count}
          </CommandChoice>
        ))}
      <Box flex="1" />
      <CommandChoice
        command={setView}
        arg={{ findingMarks: !marks }}
        on={marks}
        title="Mark what is found on the time axis and on the character"
      >
        marks
      </CommandChoice>
    </Box>
  );
}

/** Entries of a list; a long one is shown in part until it is wanted. */
function Entries({ label, entries }: { label: string; entries: readonly LikeFindings[] }) {
  const [whole, setWhole] = useState(false);
  const shown = whole ? entries : entries.slice(0, LISTED);
  return (
    <>
      <Box as="ul" listStyleType="none" aria-label={label}>
        {shown.map((entry) => (
          <FindingRow key={likenessOf(entry.worst)} entry={entry} />
        ))}
      </Box>
      {entries.length > shown.length && (
        <Choice on={false} onClick={() => setWhole(true)}>
          {`${entries.length - shown.length} more, of less weight`}
        </Choice>
      )}
    </>
  );
}

function FindingRow({ entry }: { entry: LikeFindings }) {
  const editor = useEditor();
  const { worst, all } = entry;
  const opened = useSession((state) => all.find((one) => findingKey(one) === state.finding?.key));
  const text = useProject((project) => findingText(project, worst));
  return (
    <Box as="li" borderBottomWidth="1px" borderColor="line" bg={opened ? 'raised' : undefined} mx="-3" px="3">
      <FindingLine
        grade={worst.grade}
        text={text}
        when={placesText(editor.history.project(), entry)}
        title="Go there, and see what it comes from"
        open={opened !== undefined}
        onClick={() => perform(editor, goToFinding, worst)}
      />
      {opened && all.length > 1 && (
        <Box role="group" aria-label="Where it is" display="flex" flexWrap="wrap" gap="1" pl="5" py="1.5">
          {all.slice(0, PLACES).map((one) => (
            <CommandChoice
              key={findingKey(one)}
              command={goToFinding}
              arg={one}
              on={one === opened}
              title={findingText(editor.history.project(), one)}
            >
              {Math.round(one.frame)}
            </CommandChoice>
          ))}
          {all.length > PLACES && <Text color="quiet">and {all.length - PLACES} more</Text>}
        </Box>
      )}
      {opened && <CausesOf finding={opened} />}
    </Box>
  );
}

const unitOf = ({ unit }: Finding): string => (unit === 'degrees' ? '°' : ` ${unit}`);

/** The layers that a finding comes from, each with its part, and a way to mend it. */
function CausesOf({ finding }: { finding: Finding }) {
  const editor = useEditor();
  const causes = useSession((state) => state.finding?.causes);
  const project = useProject((current) => current);
  const fix = fixOf(project, finding, causes);
  const most = Math.max(...(causes?.causes ?? []).map(({ amount }) => Math.abs(amount)), 1e-9);
  return (
    <Box pl="5" pb="1.5" display="flex" flexDirection="column" gap="0.5">
      {causes === undefined ? (
        <Text color="quiet">from …</Text>
      ) : (
        causes.causes.map(({ layer, amount }) => {
          const own = layerById(project, layer);
          if (!own) return null;
          return (
            <chakra.button
              key={layer}
              type="button"
              display="flex"
              alignItems="center"
              gap="2"
              minHeight="24px"
              cursor="pointer"
              textAlign="left"
              title={`Light ${own.name}`}
              onClick={() => perform(editor, goToCause, layer)}
            >
              <LayerMark index={layerIndex(project, layer)} small />
              <Text as="span" truncate flex="1">
                {own.name}
              </Text>
              <Box width="56px" height="6px" bg="ground" borderRadius="3px" aria-hidden>
                <Box
                  width={`${(100 * Math.abs(amount)) / most}%`}
                  height="100%"
                  borderRadius="3px"
                  bg={amount < 0 ? 'quiet' : 'alarm'}
                />
              </Box>
              <Text
                as="span"
                fontFamily="mono"
                fontSize="12px"
                minWidth="72px"
                whiteSpace="nowrap"
                textAlign="right"
              >
                {amount < 0 ? '−' : ''}
                {Math.abs(amount).toFixed(1)}
                {unitOf(finding)}
              </Text>
            </chakra.button>
          );
        })
      )}
      {causes !== undefined && causes.error > 0 && (
        <Text color="quiet" fontSize="12px">
          give or take {causes.error.toFixed(2)}
          {unitOf(finding)}: many layers
        </Text>
      )}
      {fix && (
        <Box pt="1">
          <Choice on={false} onClick={() => fix.run(editor)}>
            {fix.label}
          </Choice>
        </Box>
      )}
    </Box>
  );
}

/** The name of the tab with how many entries there are that are more than notes. */
export function FindingsTabName() {
  const shown = useShownFindings();
  const count = useMemo(() => likeFindings(shown ?? []).length, [shown]);
  return (
    <>
      Findings
      {count > 0 && (
        <chakra.span ml="1.5" color="alarm" fontSize="12px">
          {count}
        </chakra.span>
      )}
    </>
  );
}
