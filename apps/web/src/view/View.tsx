import { Box, Text } from '@chakra-ui/react';
import { Canvas } from '@react-three/fiber';
import { useRef } from 'react';
import { perform } from '../commands/command.js';
import { setView } from '../commands/view/view.js';
import { useEditor, useSession } from '../editor/context.js';
import { useTheme } from '../theme/use-theme.js';
import { AloneBar } from './bars/AloneBar.js';
import { AskBar } from './bars/AskBar.js';
import { CharacterChips } from './bars/CharacterChips.js';
import { DrivenBy } from './bars/DrivenBy.js';
import { GapTag } from './bars/GapTag.js';
import { JointTag } from './bars/JointTag.js';
import { LightWhileMoving } from './bars/LightWhileMoving.js';
import { LitTag } from './bars/LitTag.js';
import { ModeWords } from './bars/ModeWords.js';
import { NoteSlow } from './bars/NoteSlow.js';
import { ThroughBar } from './bars/ThroughBar.js';
import { TrialBar } from './bars/TrialBar.js';
import { ViewTools } from './bars/ViewTools.js';
import { WorkingBar } from './bars/WorkingBar.js';
import { Plates } from './compare/Plates.js';
import { References } from './compare/References.js';
import { SeveralViews } from './compare/SeveralViews.js';
import { SplitLine } from './compare/SplitLine.js';
import { pressedHandles } from './handles/attach-handles.js';
import { NotesOverlay } from './NotesOverlay.js';
import { ShotFrame } from './ShotFrame.js';
import { Scene } from './scene/Scene.js';
import { useLightDisplay } from './scene/use-light.js';
import { useContextLoss } from './use-context-loss.js';

/** The 3D picture of the character, with a mark of the layer that receives keys in its corner. */
export function View() {
  const editor = useEditor();
  const dark = useTheme() === 'dark';
  const light = useLightDisplay();
  const tag = useRef<HTMLDivElement>(null);
  const gap = useRef<HTMLDivElement>(null);
  const picked = useSession((state) => state.picked.length > 0);
  const loss = useContextLoss();
  const several = useSession(({ compare }) => compare.split !== undefined || compare.shot !== undefined);
  return (
    <Box
      position="relative"
      height="100%"
      borderWidth="1px"
      borderColor="line"
      overflow="hidden"
      as="section"
      aria-label="View"
    >
      <Plates />
      <Canvas
        key={`${light ? 'light' : 'full'} ${loss.key}`}
        onCreated={loss.onCreated}
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
            ? 'Click a joint to pick it, double click: its limb, right click: what can be done; drag: turn the camera, right button: move it, wheel: go nearer'
            : 'Drag the handles to pose; click: pick another joint, Shift: pick it too; drag beside them: turn the camera'
        }
        role="img"
      >
        <Scene dark={dark} tag={tag} gap={gap} />
        {several ? <SeveralViews /> : light ? <LightWhileMoving /> : <NoteSlow />}
      </Canvas>
      {loss.lost && (
        <Text position="absolute" inset="0" m="auto" height="1.5em" textAlign="center" role="status">
          The graphics card let go of the picture; it is drawn anew …
        </Text>
      )}
      <JointTag ref={tag} />
      <GapTag ref={gap} />
      <ViewTools />
      <ThroughBar />
      <LitTag />
      <CharacterChips />
      <ModeWords />
      <DrivenBy />
      <AskBar />
      <AloneBar />
      <TrialBar />
      <SplitLine />
      <ShotFrame />
      <NotesOverlay />
      <References />
      <WorkingBar />
    </Box>
  );
}
