import { chakra, Text } from '@chakra-ui/react';
import { partLabel, partNames } from '@evlay/core/rig';
import { GripVertical, Scissors } from 'lucide-react';
import { perform } from '../../commands/command.js';
import { dragIntoPart, mergePart, putInPart, renameThePart, splitPart } from '../../commands/stack/parts.js';
import { CommandButton } from '../../controls/CommandButton.js';
import { item } from '../../controls/context-menu.js';
import { MenuButton } from '../../controls/MenuButton.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { startDrag } from '../../gestures/gesture.js';
import { partAt } from '../../gestures/part-at.js';
import { NameField } from '../../ui/NameField.js';
import { Row } from '../../ui/Row.js';

/** The part of the body that the picked joint is in: renamed, split, merged, or left for another one. */
export function PartRow() {
  const editor = useEditor();
  const joint = useSession((state) => state.picked.at(-1));
  const count = useSession((state) => state.picked.length);
  const parts = useProject((project) => project.parts);
  if (joint === undefined || parts[joint] === undefined) return null;
  const part = parts[joint];
  const others = partNames(parts).filter((one) => one !== part);
  const what = count === 1 ? 'the joint' : `the ${count} joints`;
  return (
    <Row label="part">
      <chakra.span
        aria-hidden
        title="Drag onto a part of the body map"
        data-does="Drag onto a part of the body map to put what is picked into it"
        cursor="grab"
        color="quiet"
        touchAction="none"
        onPointerDown={(event) => {
          if (event.button !== 0) return;
          const joints = editor.session.getState().picked;
          startDrag(editor, event, {
            command: dragIntoPart,
            to: (_dx, _dy, { clientX, clientY }) => ({ joints, part: partAt(clientX, clientY) }),
          });
        }}
      >
        <GripVertical size={14} aria-hidden />
      </chakra.span>
      <NameField
        label="Name of the part"
        name={partLabel(part)}
        onRename={(to) => perform(editor, renameThePart, { from: part, to })}
        flex="1"
        minWidth="0"
        height="22px"
      />
      <MenuButton
        label={`Put ${what} into another part`}
        entries={() => [
          item(putInPart, undefined, `Put ${what} into a new part`),
          ...others.map((one) => item(putInPart, one, `Put ${what} into the ${partLabel(one)}`)),
        ]}
      >
        move
      </MenuButton>
      <MenuButton
        label="Merge the whole part into another one"
        entries={() =>
          others.map((into) =>
            item(mergePart, { from: part, into }, `Merge the ${partLabel(part)} into the ${partLabel(into)}`),
          )
        }
      >
        merge
      </MenuButton>
      <CommandButton command={splitPart} arg={undefined} icon={Scissors} />
      {others.length === 0 && <Text color="quiet">the only one</Text>}
    </Row>
  );
}
