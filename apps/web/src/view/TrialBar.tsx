import { Box, Button, Text } from '@chakra-ui/react';
import { perform } from '../commands/command.js';
import { dropTrial, keyTrial } from '../commands/pose.js';
import { useEditor, useSession } from '../editor/context.js';

/** Says that the pose that is seen is not keyed, and offers to key or drop it. */
export function TrialBar() {
  const editor = useEditor();
  const trial = useSession((state) => state.trial);
  const autoKey = useSession((state) => state.autoKey);
  if (!trial || autoKey) return null;
  return (
    <Box
      position="absolute"
      bottom="3"
      right="3"
      display="flex"
      alignItems="center"
      gap="2"
      bg="panel"
      borderWidth="1px"
      borderColor="lamp"
      borderRadius="l2"
      px="3"
      py="1.5"
      role="status"
    >
      <Text>Tried, not keyed</Text>
      <Button
        size="2xs"
        bg="lamp"
        color="onLamp"
        onClick={() => perform(editor, keyTrial, undefined)}
        title="Key it (Enter)"
      >
        Key
      </Button>
      <Button
        size="2xs"
        variant="outline"
        borderColor="line"
        color="text"
        onClick={() => perform(editor, dropTrial, undefined)}
        title="Drop it (Escape)"
      >
        Drop
      </Button>
    </Box>
  );
}
