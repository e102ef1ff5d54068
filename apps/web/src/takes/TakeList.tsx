import { Box, chakra, Text } from '@chakra-ui/react';
import { type Project, type Take, takeOf } from '@evlay/core';
import { checkTake } from '@evlay/core/check';
import { takeById } from '@evlay/core/edit';
import { takeDuration } from '@evlay/core/take';
import { TriangleAlert } from 'lucide-react';
import { useMemo } from 'react';
import { perform } from '../commands/command.js';
import { chooseTake } from '../commands/scene/takes.js';
import { FigureStrip } from '../controls/FigureStrip.js';
import { useEditor, useProject, useSession } from '../editor/context.js';

export const LIST_WIDTH = 330;

/** All takes of the project, those that were made below what they were made of. */
export function TakeList() {
  const project = useProject((current) => current);
  const chosen = useSession((state) => state.take);
  const ordered = project.takes
    .filter(({ made }) => !made || !takeById(project, made.from))
    .flatMap((take) => [take, ...project.takes.filter(({ made }) => made?.from === take.id)]);
  return (
    <Box as="ul" listStyleType="none" aria-label="Takes" display="flex" flexDirection="column" gap="2">
      {ordered.map((take) => (
        <TakeCard key={take.id} project={project} take={take} chosen={take.id === chosen} />
      ))}
    </Box>
  );
}

function TakeCard({ project, take, chosen }: { project: Project; take: Take; chosen: boolean }) {
  const editor = useEditor();
  const findings = useMemo(() => checkTake(project, take), [project, take]);
  const inner = take.made !== undefined;
  const from = inner ? takeById(project, take.made!.from)?.name : undefined;
  const plays = project.layers.filter((layer) => takeOf(layer)?.take === take.id).map(({ name }) => name);
  return (
    <Box as="li" pl={inner ? '4' : '0'}>
      <chakra.button
        type="button"
        aria-pressed={chosen}
        aria-label={`Choose ${take.name}${from ? `, made of ${from}` : ''}`}
        onClick={() => perform(editor, chooseTake, take.id)}
        display="block"
        width="100%"
        textAlign="left"
        bg={chosen ? 'raised' : 'panel'}
        borderWidth="1px"
        borderColor={chosen ? 'lamp' : 'line'}
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
        </Box>
        <Text color="quiet" truncate>
          {factsOf(take)}
          {from ? ` · of ${from}` : ` · ${take.source.file.replace(/^.*\//, '')}`}
        </Text>
        <FigureStrip take={take} width={LIST_WIDTH - (inner ? 54 : 38)} height={46} />
      </chakra.button>
    </Box>
  );
}

/** Length and rate of a take in a few words. */
export function factsOf(take: Take): string {
  const rate = 1 / take.interval;
  const samples = `${take.count} sample${take.count === 1 ? '' : 's'}`;
  return `${takeDuration(take).toFixed(2)} s · ${Number(rate.toFixed(2))} a second · ${samples}`;
}
