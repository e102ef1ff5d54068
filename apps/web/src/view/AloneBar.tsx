import { Box, Button, Text } from '@chakra-ui/react';
import { layerById } from '@evlay/core';
import { perform } from '../commands/command.js';
import { playAlone } from '../commands/view.js';
import { useEditor, useProject, useSession } from '../editor/context.js';

/** Says that one layer is seen without the others, and brings them back. */
export function AloneBar() {
  const editor = useEditor();
  const alone = useSession((state) => state.alone);
  const previewing = useSession((state) => state.previewing);
  const name = useProject((project) => layerById(project, alone?.layer ?? '')?.name);
  if (!alone || previewing || name === undefined) return null;
  return (
    <Box
      position="absolute"
      bottom="14"
      left="3"
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
      <Text>
        “{name}” alone over the {alone.over === 'rest' ? 'rest pose' : 'base'}
      </Text>
      <Button
        size="2xs"
        bg="lamp"
        color="onLamp"
        onClick={() => perform(editor, playAlone, { layer: alone.layer, rest: false })}
      >
        All layers
      </Button>
    </Box>
  );
}
