import { Box, chakra, Text } from '@chakra-ui/react';
import { layerById, layerIndex } from '@evlay/core';
import { type Finding, findingKey } from '@evlay/core/check';
import { perform } from '../../commands/command.js';
import { fixOf, goToCause, goToFinding, lookAgain } from '../../commands/stack/findings.js';
import { FindingLine } from '../../controls/FindingLine.js';
import { findingText, framesText } from '../../controls/finding-text.js';
import { LayerMark } from '../../controls/LayerMark.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { Choice } from '../../ui/Choice.js';
import { FindingLimitsRows } from './FindingLimitsRows.js';

/** More findings than these are not listed at once. */
const LISTED = 80;

/** What was found in the motion: what, where, when, how much; a click goes there and tells what it comes from. */
export function FindingsPanel() {
  const editor = useEditor();
  const findings = useSession((state) => state.findings);
  const unfound = useSession((state) => state.unfound);
  const looked = useSession((state) => state.looked);
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
      {findings === undefined ? (
        unfound === undefined && <Text color="quiet">Looking over the motion …</Text>
      ) : findings.length === 0 ? (
        <Text color="quiet">
          Nothing found: feet stand, joints keep to what their takes do, nothing pops. Feet are looked at
          where the contacts of a take are known.
        </Text>
      ) : (
        <Box as="ul" listStyleType="none" aria-label="What was found">
          {findings.slice(0, LISTED).map((finding) => (
            <FindingRow key={findingKey(finding)} finding={finding} />
          ))}
        </Box>
      )}
      {findings && findings.length > LISTED && (
        <Text color="quiet">and {findings.length - LISTED} more, of less weight</Text>
      )}
      <FindingLimitsRows />
    </Box>
  );
}

function FindingRow({ finding }: { finding: Finding }) {
  const editor = useEditor();
  const open = useSession((state) => state.finding?.key === findingKey(finding));
  const text = useProject((project) => findingText(project, finding));
  return (
    <Box as="li" borderBottomWidth="1px" borderColor="line" bg={open ? 'raised' : undefined} mx="-3" px="3">
      <FindingLine
        grade={finding.grade}
        text={text}
        when={framesText(finding)}
        title="Go there, and see what it comes from"
        open={open}
        onClick={() => perform(editor, goToFinding, finding)}
      />
      {open && <CausesOf finding={finding} />}
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
              <Text as="span" fontFamily="mono" fontSize="12px" width="72px" textAlign="right">
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

/** The name of the tab with how many findings there are, those that are more than notes in alarm. */
export function FindingsTabName() {
  const findings = useSession((state) => state.findings);
  const grave = findings?.some(({ grade }) => grade !== 'note');
  const count = findings?.length ?? 0;
  return (
    <>
      Findings
      {count > 0 && (
        <chakra.span ml="1.5" color={grave ? 'alarm' : 'quiet'} fontSize="12px">
          {count}
        </chakra.span>
      )}
    </>
  );
}
