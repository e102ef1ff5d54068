import { Text } from '@chakra-ui/react';
import { contactsOf, type Layer, targetsOf } from '@evlay/core';
import { KeyRound, SquareStack, Target } from 'lucide-react';
import { contactsAsTargets } from '../../commands/scene/contacts.js';
import { convert, keyWhatIsHeld } from '../../commands/stack/converting.js';
import { CommandButton } from '../../controls/CommandButton.js';
import { Row } from '../../ui/Row.js';

/** How what a layer holds by targets or contacts is gone on with by hand: as keys or targets on it, or as keys on a layer of its own. */
export function GoOnRow({ layer }: { layer: Layer }) {
  const contacts = contactsOf(layer) !== undefined;
  if (!contacts && targetsOf(layer).length === 0) return null;
  return (
    <Row label="go on">
      <Text color="quiet" flex="1" truncate>
        by hand, with
      </Text>
      {contacts && (
        <>
          <CommandButton
            command={convert}
            arg={{ layer: layer.id, mode: 'additive' as const, weight: 1 as const }}
            label="Make keys of the contacts"
            icon={KeyRound}
          />
          <CommandButton command={contactsAsTargets} arg={layer.id} icon={Target} />
        </>
      )}
      <CommandButton command={keyWhatIsHeld} arg={undefined} icon={SquareStack} />
    </Row>
  );
}
