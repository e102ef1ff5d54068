import { Box } from '@chakra-ui/react';
import { layerById, layerIndex } from '@evlay/core';
import { Canvas } from '@react-three/fiber';
import { useRef } from 'react';
import { perform } from '../commands/command.js';
import { setView } from '../commands/view.js';
import { useEditor, useSeen, useSession } from '../editor/context.js';
import { useTheme } from '../theme/use-theme.js';
import { AloneBar } from './AloneBar.js';
import { AskBar } from './AskBar.js';
import { pressedHandles } from './attach-handles.js';
import { ComparePanel } from './ComparePanel.js';
import { CrossingPanel } from './CrossingPanel.js';
import { DrivenBy } from './DrivenBy.js';
import { GapTag } from './GapTag.js';
import { JointTag } from './JointTag.js';
import { LightWhileMoving } from './LightWhileMoving.js';
import { MergePanel } from './MergePanel.js';
import { NoteSlow } from './NoteSlow.js';
import { ReferenceVideoBox } from './ReferenceVideoBox.js';
import { Scene } from './Scene.js';
import { SeveralViews } from './SeveralViews.js';
import { ShotFrame } from './ShotFrame.js';
import { SplitLine } from './SplitLine.js';
import { TrialBar } from './TrialBar.js';
import { useLightDisplay } from './use-light.js';
import { ViewTools } from './ViewTools.js';
import { WorkingBar } from './WorkingBar.js';

/** The 3D picture of the character. Its edge has the colour of the lit layer. */
export function View() {
  const editor = useEditor();
  const dark = useTheme() === 'dark';
  const light = useLightDisplay();
  const tag = useRef<HTMLDivElement>(null);
  const gap = useRef<HTMLDivElement>(null);
  const picked = useSession((state) => state.picked.length > 0);
  const lit = useSession((state) => state.lit);
  const several = useSession(({ compare }) => compare.split !== undefined || compare.shot !== undefined);
  const color = useSeen((project) => layerById(project, lit)?.color);
  const isBase = useSeen((project) => layerIndex(project, lit) === 0);
  return (
    <Box
      position="relative"
      height="100%"
      borderWidth="2px"
      borderColor={isBase ? 'line' : (color ?? 'line')}
      overflow="hidden"
      as="section"
      aria-label="View"
    >
      <Canvas
        key={light ? 'light' : 'full'}
        frameloop="demand"
        shadows={light ? false : 'percentage'}
        dpr={light ? 1 : [1, 2]}
        camera={{ fov: 32, near: 0.05, far: 80 }}
        gl={{ antialias: !light, preserveDrawingBuffer: false }}
        onPointerMissed={(event) => {
          if (event.type === 'click' && !event.shiftKey && !pressedHandles())
            perform(editor, setView, { picked: [], parts: [] });
        }}
        aria-label="The character at the playhead"
        data-does={
          !picked
            ? 'Click a joint to pick it, double click: its limb; drag: turn the camera, right button: move it, wheel: go nearer'
            : 'Drag the handles to pose; click: pick another joint, Shift: pick it too; drag beside them: turn the camera'
        }
        role="img"
      >
        <Scene dark={dark} tag={tag} gap={gap} />
        {several ? <SeveralViews /> : light ? <LightWhileMoving /> : <NoteSlow />}
      </Canvas>
      <JointTag ref={tag} />
      <GapTag ref={gap} />
      <ViewTools />
      <DrivenBy />
      <AskBar />
      <AloneBar />
      <TrialBar />
      <SplitLine />
      <ShotFrame />
      <ReferenceVideoBox />
      <ComparePanel />
      <CrossingPanel />
      <MergePanel />
      <WorkingBar />
    </Box>
  );
}
