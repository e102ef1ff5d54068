import { Box, chakra } from '@chakra-ui/react';
import {
  ArrowLeftRight,
  FlipHorizontal2,
  KeyRound,
  ListTree,
  Magnet,
  Plus,
  Spline,
  UnfoldHorizontal,
  X,
} from 'lucide-react';
import { useState } from 'react';
import { perform } from '../../commands/command.js';
import {
  dropSet,
  keepPicked,
  pickBothSides,
  pickChildren,
  pickKeyed,
  pickLimb,
  pickOtherSide,
  pickSet,
} from '../../commands/poses/picking.js';
import { setView } from '../../commands/view/view.js';
import { CommandButton, CommandChoice } from '../../controls/CommandButton.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { Row } from '../../ui/Row.js';

/** Goes from the joints that are picked to others, and keeps sets of them. */
export function PickRows() {
  const snap = useSession((state) => state.snap);
  const symmetric = useSession((state) => state.symmetric);
  const sets = useProject((project) => project.sets);
  const [naming, setNaming] = useState(false);
  return (
    <>
      <Row label="pick">
        <CommandButton command={pickLimb} arg={undefined} icon={Spline} />
        <CommandButton command={pickChildren} arg={undefined} icon={ListTree} />
        <CommandButton command={pickOtherSide} arg={undefined} icon={ArrowLeftRight} />
        <CommandButton command={pickBothSides} arg={undefined} icon={UnfoldHorizontal} />
        <CommandButton command={pickKeyed} arg={undefined} icon={KeyRound} />
        <Box flex="1" />
        <CommandButton command={setView} arg={{ snap: !snap }} label="Go in steps" icon={Magnet} on={snap} />
        <CommandButton
          command={setView}
          arg={{ symmetric: !symmetric }}
          label="Do the same mirrored on the other side"
          icon={FlipHorizontal2}
          on={symmetric}
        />
        <chakra.button
          type="button"
          onClick={() => setNaming(true)}
          cursor="pointer"
          color="quiet"
          _hover={{ color: 'text' }}
          display="inline-flex"
          alignItems="center"
          gap="1"
          aria-label="Keep what is picked as a set"
        >
          <Plus size={13} aria-hidden /> set
        </chakra.button>
      </Row>
      {naming && <NewSet onDone={() => setNaming(false)} />}
      {sets.length > 0 && (
        <Row label="sets">
          <Box display="flex" flexWrap="wrap" gap="1">
            {sets.map(({ name }) => (
              <Box key={name} display="inline-flex" alignItems="center">
                <CommandChoice command={pickSet} arg={name} on={false}>
                  {name}
                </CommandChoice>
                <CommandButton command={dropSet} arg={name} label={`Delete the set ${name}`} icon={X} />
              </Box>
            ))}
          </Box>
        </Row>
      )}
    </>
  );
}

/** A field for the name of a new set: Enter keeps it, Escape does not. */
function NewSet({ onDone }: { onDone: () => void }) {
  const editor = useEditor();
  return (
    <Row label="name">
      <chakra.input
        aria-label="Name of the set"
        autoFocus
        placeholder="what is picked, as …"
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === 'Enter') perform(editor, keepPicked, event.currentTarget.value);
          if (event.key === 'Enter' || event.key === 'Escape') onDone();
        }}
        onBlur={onDone}
        flex="1"
        bg="ground"
        borderRadius="l1"
        px="2"
        height="22px"
      />
    </Row>
  );
}
