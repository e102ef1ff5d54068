import { Text } from '@chakra-ui/react';
import { layerById } from '@evlay/core';
import { perform } from '../../commands/command.js';
import { letActAround } from '../../commands/stack/layer-values.js';
import { setView } from '../../commands/view/view.js';
import { LocalNumber } from '../../controls/DragNumber.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { framesIn } from '../../editor/session.js';
import { preferences, usePreference } from '../../ui/preferences.js';
import { BarButton, ViewBar } from './ViewBar.js';

/** Asks once, after the first key of an additive layer, whether its change holds throughout or around that key. */
export function AskBar() {
  const editor = useEditor();
  const asked = useSession((state) => state.asked);
  const name = useProject((project) => layerById(project, asked ?? '')?.name);
  const fps = useProject((project) => project.fps);
  const frames = framesIn(
    usePreference((state) => state.aroundSeconds),
    fps,
  );
  if (!asked || name === undefined) return null;
  const throughout = () => void perform(editor, setView, { asked: undefined });
  const around = () => {
    if (perform(editor, letActAround, { layer: asked, frames })) throughout();
  };
  return (
    <ViewBar top="3" left="3">
      <Text>“{name}” changes every frame</Text>
      <BarButton main onClick={throughout}>
        Throughout
      </BarButton>
      <BarButton title="Nothing of it before and after so many frames" onClick={around}>
        Around here
      </BarButton>
      <LocalNumber
        label="Frames before and after"
        read={() => frames}
        min={1}
        step={0.2}
        decimals={0}
        width="32px"
        onChange={(value) => preferences.setState({ aroundSeconds: value / fps })}
      />
      <Text color="quiet">frames</Text>
    </ViewBar>
  );
}
