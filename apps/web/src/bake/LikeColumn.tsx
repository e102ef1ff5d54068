import { Box, Text } from '@chakra-ui/react';
import { lostInBake } from '@evlay/core/bake';
import { likeFindings, likenessOf } from '@evlay/core/check';
import { writtenKind } from '@evlay/core/format';
import type { KeyLimits } from '@evlay/core/keys';
import { useMemo } from 'react';
import { useNavigate } from 'react-router';
import { perform } from '../commands/command.js';
import { goToFinding } from '../commands/stack/findings.js';
import { FindingLine } from '../controls/FindingLine.js';
import { findingText, placesText } from '../controls/finding-text.js';
import { useShownFindings } from '../controls/shown-findings.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import { Transport } from '../timeline/Transport.js';
import { KeysChart } from './KeysChart.js';
import { type BakeSettings, takesFewKeys } from './settings.js';
import { Section } from './WhatColumn.js';

/** Findings that are listed at once; the gravest come first. */
const LISTED = 6;

/** What the bake will be like: it plays, with what was found wrong, and how many keys it takes. */
export function LikeColumn({
  settings,
  running,
  onLimits,
}: {
  settings: BakeSettings;
  running: boolean;
  onLimits: (limits: KeyLimits) => void;
}) {
  return (
    <>
      <Box
        display="flex"
        alignItems="center"
        gap="1"
        px="3"
        py="1.5"
        bg="panel"
        borderBottomWidth="1px"
        borderColor="line"
      >
        <Transport />
      </Box>
      <Lost settings={settings} />
      <Findings />
      {takesFewKeys(settings.format) && settings.few && (
        <Section title="Keys against error">
          <KeysChart settings={settings} paused={running} onLimits={onLimits} />
        </Section>
      )}
    </>
  );
}

/** What the file will not have: said before it is baked. */
function Lost({ settings: { format, props } }: { settings: BakeSettings }) {
  const project = useProject((current) => current);
  const lost = useMemo(() => lostInBake(project, writtenKind(format), props), [project, format, props]);
  if (lost.length === 0) return null;
  return (
    <Section title="Not in the file">
      <Box as="ul" listStyleType="none" aria-label="What the file will not have">
        {lost.map((sentence) => (
          <Text as="li" key={sentence}>
            {sentence}
          </Text>
        ))}
      </Box>
    </Section>
  );
}

function Findings() {
  const editor = useEditor();
  const navigate = useNavigate();
  const project = useProject((current) => current);
  const findings = useShownFindings();
  const looking = useSession((state) => state.looked < 1);
  const entries = useMemo(() => findings && likeFindings(findings), [findings]);
  return (
    <Section title="Findings">
      {entries === undefined || (looking && entries.length === 0) ? (
        <Text color="quiet">Looking over the motion …</Text>
      ) : entries.length === 0 ? (
        <Text color="quiet">Nothing was found.</Text>
      ) : (
        <Box as="ul" listStyleType="none" aria-label="What was found">
          {entries.slice(0, LISTED).map((entry) => (
            <Box as="li" key={likenessOf(entry.worst)}>
              <FindingLine
                grade={entry.worst.grade}
                text={findingText(project, entry.worst)}
                when={placesText(project, entry)}
                title="Go there on Layers, and see what it comes from"
                onClick={() => {
                  perform(editor, goToFinding, entry.worst);
                  void navigate('..', { relative: 'path' });
                }}
              />
            </Box>
          ))}
        </Box>
      )}
      {entries && entries.length > LISTED && (
        <Text color="quiet">and {entries.length - LISTED} more on Layers; the bake goes on all the same</Text>
      )}
    </Section>
  );
}
