import { Box } from '@chakra-ui/react';
import { useEffect } from 'react';
import { Group, Panel, Separator, useDefaultLayout, usePanelRef } from 'react-resizable-panels';
import { BodyMap } from '../body-map/BodyMap.js';
import { LAYER_SHORTCUTS, TRANSPORT_SHORTCUTS } from '../commands/shortcuts.js';
import { ContextMenu } from '../controls/ContextMenu.js';
import { Palette } from '../controls/Palette.js';
import { Curves } from '../curves/Curves.js';
import { useEditor, useSession } from '../editor/context.js';
import { watchFindings } from '../jobs/findings.js';
import { Lanes } from '../lanes/Lanes.js';
import { takesThings } from '../locker/drop.js';
import { Locker } from '../locker/Locker.js';
import { FindingsPanel, FindingsTabName } from '../panel/findings/FindingsPanel.js';
import { JointPanel } from '../panel/joint/JointPanel.js';
import { LayerPanel } from '../panel/layer/LayerPanel.js';
import { type PanelTab, SidePanel } from '../panel/SidePanel.js';
import { useWork } from '../panel/work/work.js';
import { PosesPanel } from '../poses/PosesPanel.js';
import { useSteps } from '../ui/use-steps.js';
import { View } from '../view/View.js';
import { Guarded } from './Guarded.js';
import { Shortcuts } from './Shortcuts.js';

const TABS: readonly PanelTab[] = [
  {
    id: 'layer',
    help: 'Weigh',
    name: 'Layer',
    content: (
      <Guarded name="The panel of the layer">
        <LayerPanel />
      </Guarded>
    ),
  },
  {
    id: 'joint',
    help: 'Key',
    name: 'Joint',
    content: (
      <Guarded name="The panel of the joints">
        <JointPanel />
      </Guarded>
    ),
  },
  {
    id: 'poses',
    help: 'Pose',
    name: 'Poses',
    content: (
      <Guarded name="The panel of the poses">
        <PosesPanel />
      </Guarded>
    ),
  },
  {
    id: 'findings',
    help: 'Ground',
    name: <FindingsTabName />,
    content: (
      <Guarded name="The panel of the findings">
        <FindingsPanel />
      </Guarded>
    ),
  },
];

/** View, body map and lanes: nearly all work happens here. What takes longer stands in place of the tabs until it is left. */
export function Layers() {
  const editor = useEditor();
  useEffect(() => watchFindings(editor), [editor]);
  const step = useSteps(3);
  const work = useWork();
  const column = usePanelRef();
  const working = work !== undefined;
  const locker = useSession((state) => state.locker);
  useEffect(() => {
    if (working) column.current?.expand();
  }, [working, column]);
  const rows = useDefaultLayout({ id: 'evlay.rows' });
  const columns = useDefaultLayout({ id: 'evlay.columns' });
  return (
    <Box as="main" flex="1" minHeight="0" display="flex" flexDirection="column" {...takesThings(editor)}>
      <Shortcuts commands={TRANSPORT_SHORTCUTS} />
      <Shortcuts commands={LAYER_SHORTCUTS} />
      <Box flex="1" minHeight="0">
        <Group orientation="vertical" {...rows}>
          <Panel id="above" defaultSize="64" minSize={180}>
            <Group orientation="horizontal" {...columns}>
              <Panel id="view" minSize={260}>
                {/* First: its shaders are compiled while the rest is mounted. */}
                {step > 0 && (
                  <Guarded name="The view">
                    <View />
                  </Guarded>
                )}
              </Panel>
              <Separator id="beside-view" aria-label="Width of the body map">
                <Box width="5px" height="100%" bg="ground" _hover={{ bg: 'line' }} />
              </Separator>
              <Panel
                id="body"
                defaultSize={336}
                minSize={300}
                collapsible
                groupResizeBehavior="preserve-pixel-size"
                panelRef={column}
              >
                <Box height="100%" display="flex" flexDirection="column" bg="panel">
                  {step > 2 && (
                    <>
                      <Guarded name="The body map">
                        <BodyMap />
                      </Guarded>
                      {work ? <Guarded name="This piece of work">{work}</Guarded> : <SidePanel tabs={TABS} />}
                    </>
                  )}
                </Box>
              </Panel>
            </Group>
          </Panel>
          <Separator id="above-lanes" aria-label="Height of the lanes">
            <Box height="5px" bg="ground" _hover={{ bg: 'line' }} />
          </Separator>
          <Panel id="lanes" minSize={120} collapsible>
            {step > 1 && (
              <Guarded name="The lanes">
                <Lanes curves={(axis) => <Curves {...axis} />} />
              </Guarded>
            )}
          </Panel>
        </Group>
      </Box>
      {locker && (
        <Guarded name="The locker">
          <Locker />
        </Guarded>
      )}
      <ContextMenu />
      <Palette />
    </Box>
  );
}
