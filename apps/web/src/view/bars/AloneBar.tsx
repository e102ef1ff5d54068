import { Text } from '@chakra-ui/react';
import { layerById } from '@evlay/core';
import { perform } from '../../commands/command.js';
import { playAlone } from '../../commands/view/view.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { BarButton, ViewBar } from './ViewBar.js';

/** Says that one layer is seen without the others, and brings them back. */
export function AloneBar() {
  const editor = useEditor();
  const alone = useSession((state) => state.alone);
  const previewing = useSession((state) => state.previewing);
  const name = useProject((project) => layerById(project, alone?.layer ?? '')?.name);
  if (!alone || previewing || name === undefined) return null;
  return (
    <ViewBar bottom="14" left="3">
      <Text>
        “{name}” alone over the {alone.over === 'rest' ? 'rest pose' : 'base'}
      </Text>
      <BarButton main onClick={() => perform(editor, playAlone, { layer: alone.layer, rest: false })}>
        All layers
      </BarButton>
    </ViewBar>
  );
}
