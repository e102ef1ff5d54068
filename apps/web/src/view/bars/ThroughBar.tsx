import { Box, Text } from '@chakra-ui/react';
import { Lock, LockOpen, X } from 'lucide-react';
import { useState } from 'react';
import { perform } from '../../commands/command.js';
import { lookThrough, setView } from '../../commands/view/view.js';
import { CommandButton } from '../../controls/CommandButton.js';
import { FILM_RATIOS } from '../../controls/film/film-ratios.js';
import { useEditor, useSeen, useSession } from '../../editor/context.js';
import { Select } from '../../ui/Select.js';
import { filmFrame } from '../film-frame.js';
import { useSize } from '../use-size.js';

/** What a camera that is looked through sees of the view: the rest is darkened; and its name, its lock and its ratio. */
export function ThroughBar() {
  const editor = useEditor();
  const through = useSession((state) => state.through);
  const locked = useSession((state) => state.cameraLocked);
  const ratio = useSession((state) => state.filmRatio);
  const there = useSeen((project) =>
    project.scene.props.some(({ name, camera }) => name === through && camera),
  );
  const [element, setElement] = useState<HTMLDivElement | null>(null);
  const { width, height } = useSize(element);
  if (through === undefined || !there) return null;
  const frame = filmFrame(width, height, ratio);
  return (
    <Box ref={setElement} position="absolute" inset="0" pointerEvents="none">
      {width > 0 && (
        <Box
          position="absolute"
          left={`${frame.left}px`}
          top={`${frame.top}px`}
          width={`${frame.width}px`}
          height={`${frame.height}px`}
          outline="2000px solid"
          outlineColor="ground/70"
          borderWidth="1px"
          borderColor="lamp"
          data-film-frame={ratio.toFixed(3)}
        />
      )}
      <Box
        position="absolute"
        left="3"
        top="34px"
        display="flex"
        alignItems="center"
        gap="1.5"
        bg="panel"
        borderWidth="1px"
        borderColor="lamp"
        borderRadius="l2"
        boxShadow="float"
        pl="3"
        pr="1"
        height="32px"
        pointerEvents="auto"
        role="group"
        aria-label={`Through ${through}`}
      >
        <Text>through</Text>
        <Text fontWeight="600" truncate maxWidth="140px">
          {through}
        </Text>
        <Select
          label="Ratio of the picture"
          value={String(ratio)}
          onChoose={(chosen) => perform(editor, setView, { filmRatio: Number(chosen) })}
        >
          {FILM_RATIOS.map(([name, value]) => (
            <option key={name} value={value}>
              {name}
            </option>
          ))}
        </Select>
        <CommandButton
          command={setView}
          arg={{ cameraLocked: !locked }}
          label={
            locked
              ? 'Unlock the camera: moving the view moves it, as keys on the lit layer'
              : 'Lock the camera: it stays as the layers move it'
          }
          icon={locked ? Lock : LockOpen}
          on={!locked}
        />
        <CommandButton command={lookThrough} arg={undefined} label="Leave the camera" icon={X} />
      </Box>
    </Box>
  );
}
