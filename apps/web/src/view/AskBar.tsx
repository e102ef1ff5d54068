import { Text } from '@chakra-ui/react';
import { layerById } from '@evlay/core';
import { spanAround } from '@evlay/core/edit';
import { perform } from '../commands/command.js';
import { changeSpan } from '../commands/layers.js';
import { setView } from '../commands/view.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import { BarButton, ViewBar } from './ViewBar.js';

/** Asks once, after the first key of an additive layer, whether its change holds throughout or around that key. */
export function AskBar() {
  const editor = useEditor();
  const asked = useSession((state) => state.asked);
  const name = useProject((project) => layerById(project, asked ?? '')?.name);
  if (!asked || name === undefined) return null;
  const throughout = () => void perform(editor, setView, { asked: undefined });
  const around = () => {
    const span = spanAround(editor.history.project(), editor.playhead.get());
    if (perform(editor, changeSpan, { layer: asked, span })) throughout();
  };
  return (
    <ViewBar top="3" left="3">
      <Text>“{name}” changes every frame</Text>
      <BarButton main onClick={throughout}>
        Throughout
      </BarButton>
      <BarButton title="A span around the playhead, with fades on both sides" onClick={around}>
        Around here
      </BarButton>
    </ViewBar>
  );
}
