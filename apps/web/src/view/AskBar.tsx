import { Box, Button, Text } from '@chakra-ui/react';
import { layerById } from '@evlay/core';
import { spanAround } from '@evlay/core/edit';
import { perform } from '../commands/command.js';
import { changeSpan } from '../commands/layers.js';
import { setView } from '../commands/view.js';
import { useEditor, useProject, useSession } from '../editor/context.js';

/** Asks once, after the first key of an additive layer, whether its change holds throughout or around that key. */
export function AskBar() {
  const editor = useEditor();
  const asked = useSession((state) => state.asked);
  const name = useProject((project) => layerById(project, asked ?? '')?.name);
  if (!asked || name === undefined) return null;
  const around = () => {
    const span = spanAround(editor.history.project(), editor.playhead.get());
    if (perform(editor, changeSpan, { layer: asked, span })) perform(editor, setView, { asked: undefined });
  };
  return (
    <Box
      position="absolute"
      top="3"
      right="3"
      maxWidth="calc(100% - 24px)"
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
      <Text>“{name}” changes every frame</Text>
      <Button
        size="2xs"
        bg="lamp"
        color="onLamp"
        onClick={() => perform(editor, setView, { asked: undefined })}
      >
        Throughout
      </Button>
      <Button
        size="2xs"
        variant="outline"
        borderColor="line"
        color="text"
        title="A span around the playhead, with fades on both sides"
        onClick={around}
      >
        Around here
      </Button>
    </Box>
  );
}
