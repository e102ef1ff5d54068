import { Text } from '@chakra-ui/react';
import { perform } from '../../commands/command.js';
import { dropTrial, keyTrial } from '../../commands/poses/pose.js';
import { useEditor, useSession } from '../../editor/context.js';
import { BarButton, ViewBar } from './ViewBar.js';

/** Says that the pose that is seen is not keyed, and offers to key or drop it. */
export function TrialBar() {
  const editor = useEditor();
  const tried = useSession((state) => state.trial !== undefined);
  const autoKey = useSession((state) => state.autoKey);
  if (!tried || autoKey) return null;
  return (
    <ViewBar bottom="3" right="3">
      <Text>Tried, not keyed</Text>
      <BarButton main title="Key it (Enter)" onClick={() => perform(editor, keyTrial, undefined)}>
        Key
      </BarButton>
      <BarButton title="Drop it (Escape)" onClick={() => perform(editor, dropTrial, undefined)}>
        Drop
      </BarButton>
    </ViewBar>
  );
}
