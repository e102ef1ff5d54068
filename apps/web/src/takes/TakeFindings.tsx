import { Box, Text } from '@chakra-ui/react';
import type { Project, Take } from '@evlay/core';
import { byGrade, type Finding, likeFindings, likenessOf, noisyStretch } from '@evlay/core/check';
import { useEffect, useState } from 'react';
import { perform } from '../commands/command.js';
import { smoothStretch } from '../commands/scene/takes.js';
import { scrub } from '../commands/view/transport.js';
import { CommandChoice } from '../controls/CommandButton.js';
import { FindingLine } from '../controls/FindingLine.js';
import { findingText, placesText } from '../controls/finding-text.js';
import { useEditor, useProject, useSeen } from '../editor/context.js';
import { findingsOfTake, limitsOf } from '../jobs/findings.js';

/** More findings than these are not listed at once. */
const LISTED = 12;

/** What is found in the motion of a take alone, by the limits of the project; a click goes there. */
export function TakeFindings({ take, sampleOf }: { take: Take; sampleOf: (sample: number) => number }) {
  const editor = useEditor();
  const project = useSeen((seen) => seen);
  const found = useFindingsOf(project, take);
  if (found === undefined) return <Text color="quiet">Looking over the motion …</Text>;
  const entries = likeFindings(found.filter(({ grade }) => grade !== 'note'));
  if (entries.length === 0) return <Text color="quiet">Nothing found in its motion.</Text>;
  const seconds = (leap: Finding) =>
    noisyStretch(found, leap, 0.5 * project.fps).map((frame) => frame / project.fps) as [number, number];
  const inSamples = (finding: Finding): Finding => {
    const sample = (frame: number) => sampleOf(Math.round(frame / (project.fps * take.interval)));
    return {
      ...finding,
      from: sample(finding.from),
      to: sample(finding.to),
      frame: sample(finding.frame),
    };
  };
  return (
    <Box as="ul" listStyleType="none" aria-label="What was found in the take">
      {entries.slice(0, LISTED).map(({ worst, all }) => (
        <li key={likenessOf(worst)}>
          <FindingLine
            grade={worst.grade}
            text={findingText(project, worst)}
            when={placesText({ first: 0 }, { worst: inSamples(worst), all })}
            title="Go there"
            onClick={() => perform(editor, scrub, worst.frame)}
          />
          {worst.kind === 'pop' && (
            <Box pl="5" pt="1" pb="2">
              <CommandChoice
                command={smoothStretch}
                arg={{ take: take.id, seconds: seconds(worst) }}
                on={false}
              >
                smooth it here
              </CommandChoice>
            </Box>
          )}
        </li>
      ))}
      {entries.length > LISTED && (
        <Text as="li" color="quiet">
          and {entries.length - LISTED} more, of less weight
        </Text>
      )}
    </Box>
  );
}

/** Findings of the take that is seen alone; undefined while they are looked for. */
function useFindingsOf(seen: Project, take: Take): readonly Finding[] | undefined {
  const limits = useProject(limitsOf);
  const [found, setFound] = useState<{ readonly of: Project; readonly all: readonly Finding[] }>();
  const alone = seen.layers[0]?.id === take.id;
  useEffect(() => {
    if (!alone) return;
    let left = false;
    const look = async () => {
      const all = await findingsOfTake(seen, limits);
      if (!left && all) setFound({ of: seen, all: byGrade(all) });
    };
    void look().catch(() => undefined);
    return () => {
      left = true;
    };
  }, [seen, limits, alone]);
  return found?.of === seen ? found.all : undefined;
}
