import { Box, Text } from '@chakra-ui/react';
import { SlidersHorizontal, X } from 'lucide-react';
import { openReferences, removeReference } from '../../commands/view/comparing.js';
import { CommandButton } from '../../controls/CommandButton.js';
import { useSession } from '../../editor/context.js';
import type { Reference } from '../../editor/session.js';
import { Paper } from '../NotesOverlay.js';
import { ReferencePicture } from './ReferencePicture.js';

/** Videos and pictures beside the character: those in boxes of their own and those over the view. */
export function References() {
  const references = useSession((state) => state.references);
  const notes = useSession((state) => state.notes !== undefined);
  const through = useSession((state) => state.through !== undefined);
  if (references.length === 0) return null;
  return (
    <>
      {references.map((one) =>
        one.place === 'over' ? (
          <ReferencePicture
            key={one.id}
            reference={one}
            style={{
              position: 'absolute',
              inset: 0,
              width: '100%',
              height: '100%',
              objectFit: 'contain',
              pointerEvents: 'none',
              opacity: one.opacity,
            }}
          />
        ) : null,
      )}
      <Box
        position="absolute"
        top={through ? '74px' : '3'}
        left="3"
        bottom="46px"
        width="208px"
        display="flex"
        flexDirection="column"
        gap="2"
        pointerEvents="none"
        overflow="hidden"
      >
        {references
          .filter(({ place }) => place === 'box')
          .map((one) => (
            <ReferenceBox key={one.id} reference={one} paper={notes} />
          ))}
      </Box>
    </>
  );
}

function ReferenceBox({ reference, paper }: { reference: Reference; paper: boolean }) {
  const { id, name } = reference;
  return (
    <Box
      as="section"
      aria-label={`Reference: ${name}`}
      bg="panel"
      borderWidth="1px"
      borderColor="line"
      borderRadius="l2"
      boxShadow="float"
      overflow="hidden"
      pointerEvents="auto"
      fontSize="12px"
      minHeight="0"
    >
      <Box display="flex" alignItems="center" px="2" height="26px">
        <Text truncate flex="1" title={name}>
          {name}
        </Text>
        <CommandButton
          command={openReferences}
          arg={undefined}
          label={`How ${name} is shown`}
          icon={SlidersHorizontal}
        />
        <CommandButton command={removeReference} arg={id} label={`Take ${name} away`} icon={X} />
      </Box>
      <Box position="relative" bg="ground">
        <ReferencePicture
          reference={reference}
          style={{ display: 'block', width: '100%', maxHeight: 150, objectFit: 'contain' }}
        />
        {paper && <Paper over={name} />}
      </Box>
    </Box>
  );
}
