import { Text } from '@chakra-ui/react';
import type { Layer } from '@evlay/core';
import { findInKeys } from '../../commands/scene/contacts.js';
import { CommandChoice } from '../../controls/CommandButton.js';
import { Row } from '../../ui/Row.js';

/** That a keyed layer says itself when limbs stand, and the way back to what its keys show. */
export function StandsRow({ layer }: { layer: Layer }) {
  if (!layer.stands || layer.content.kind !== 'curves') return null;
  const count = Object.values(layer.stands).flat().length;
  return (
    <Row label="contacts">
      <Text color="quiet">{count} kept beside the keys</Text>
      <CommandChoice
        command={findInKeys}
        arg={layer.id}
        on={false}
        title="Find anew in the keys when limbs stand; what was corrected by hand goes"
      >
        find anew
      </CommandChoice>
    </Row>
  );
}
