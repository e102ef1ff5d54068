import { Box, Text } from '@chakra-ui/react';
import { Camera, X } from 'lucide-react';
import { useState } from 'react';
import { showShot } from '../commands/view/comparing.js';
import { CommandButton } from '../controls/CommandButton.js';
import { useEditor, useSession } from '../editor/context.js';
import { shotFrame } from './shot-frame.js';
import { useSize } from './use-size.js';

/** The edge of the second view, with what sets its camera anew and closes it. */
export function ShotFrame() {
  const editor = useEditor();
  const shot = useSession(({ compare }) => compare.shot);
  const halves = useSession(({ compare }) => compare.halves);
  const [element, setElement] = useState<HTMLDivElement | null>(null);
  const { width, height } = useSize(element);
  if (!shot) return null;
  const frame = shotFrame(width, height, halves);
  return (
    <Box ref={setElement} position="absolute" inset="0" pointerEvents="none">
      {width > 0 && (
        <Box
          role="group"
          aria-label="Second view"
          position="absolute"
          left={`${frame.left}px`}
          top={`${frame.top}px`}
          width={`${frame.width}px`}
          height={`${frame.height}px`}
          borderWidth="2px"
          borderColor="line"
          borderRadius="l1"
          boxShadow="float"
          pointerEvents={halves ? 'none' : 'auto'}
        >
          <Box
            display="flex"
            alignItems="center"
            gap="1"
            bg="panel/80"
            px="2"
            height="24px"
            fontSize="12px"
            pointerEvents="auto"
          >
            <Text flex="1" truncate>
              {shot.camera ?? 'second view'}
            </Text>
            <CommandButton
              command={showShot}
              arg={editor.viewpoint?.() ?? shot}
              label="Let the second view look from here"
              icon={Camera}
            />
            <CommandButton command={showShot} arg={undefined} label="Close the second view" icon={X} />
          </Box>
        </Box>
      )}
    </Box>
  );
}
