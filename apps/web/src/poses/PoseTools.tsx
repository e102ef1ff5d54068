import { Text } from '@chakra-ui/react';
import {
  ArrowLeftToLine,
  ArrowRightToLine,
  CircleOff,
  ClipboardCopy,
  ClipboardPaste,
  Copy,
  FlipHorizontal2,
  PersonStanding,
} from 'lucide-react';
import { useStore } from 'zustand';
import {
  copyPose,
  holdKey,
  keyBelow,
  keyRest,
  pasteMirrored,
  pastePose,
  toKeyAfterPose,
  toKeyBeforePose,
} from '../commands/poses/poses.js';
import { CommandButton } from '../controls/CommandButton.js';
import { useCalmProject, useEditor, useProject, useSession } from '../editor/context.js';
import { poseClipboard } from '../editor/pose-clipboard.js';
import { Row } from '../ui/Row.js';
import { Dial } from './Dial.js';

/** What is done with a pose here: copied, pasted, set to rest, to what is below or to a key beside, or in between. */
export function PoseTools() {
  const editor = useEditor();
  const picked = useSession((state) => state.picked);
  const rig = useProject((project) => project.rig);
  const copied = useStore(poseClipboard, (state) => state.copied);
  // What can be done depends on the lit layer and its keys.
  useSession((state) => state.lit);
  useCalmProject((project) => project.layers);
  const held = Object.keys(copied?.joints ?? {});
  return (
    <>
      <Row label="pose">
        <CommandButton command={copyPose} arg={undefined} icon={ClipboardCopy} />
        <CommandButton command={pastePose} arg={undefined} icon={ClipboardPaste} />
        <CommandButton command={pasteMirrored} arg={undefined} icon={FlipHorizontal2} />
        <Text color="quiet" truncate flex="1" title={held.join(', ')}>
          {held.length === 0
            ? 'nothing copied yet'
            : `copied: ${held.length === rig.joints.length ? 'the whole body' : held.length === 1 ? held[0] : `${held.length} joints`}`}
        </Text>
      </Row>
      <Row label="key">
        <CommandButton command={holdKey} arg={undefined} icon={Copy} />
        <CommandButton command={keyBelow} arg={undefined} icon={CircleOff} />
        <CommandButton command={keyRest} arg={undefined} icon={PersonStanding} />
        <CommandButton command={toKeyBeforePose} arg={undefined} icon={ArrowLeftToLine} />
        <CommandButton command={toKeyAfterPose} arg={undefined} icon={ArrowRightToLine} />
        <Text color="quiet" truncate flex="1">
          {picked.length === 0
            ? 'all that the layer keys'
            : picked.length === 1
              ? editor.history.project().rig.joints[picked[0]]?.name
              : `${picked.length} joints`}
        </Text>
      </Row>
      <Dial />
    </>
  );
}
