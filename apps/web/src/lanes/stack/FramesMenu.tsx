import { Box, Popover, Portal, Text } from '@chakra-ui/react';
import { layerById } from '@evlay/core';
import { BetweenVerticalStart } from 'lucide-react';
import { useState } from 'react';
import { perform } from '../../commands/command.js';
import { changeFrames } from '../../commands/project/frames.js';
import { LocalNumber } from '../../controls/DragNumber.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { Choice } from '../../ui/Choice.js';
import { ToolButton } from '../../ui/ToolButton.js';

/** Inserts frames at the playhead or removes them from there on, of the lit layer or of the whole project. */
export function FramesMenu() {
  const editor = useEditor();
  const lit = useSession((state) => state.lit);
  const name = useProject((project) => layerById(project, lit)?.name ?? '');
  const [count, setCount] = useState(5);
  const change = (by: number, layer?: string) => perform(editor, changeFrames, { count: by, layer });
  return (
    <Popover.Root positioning={{ placement: 'bottom-start' }} size="xs" lazyMount unmountOnExit>
      <Popover.Trigger asChild>
        <ToolButton label="Insert or remove frames" icon={BetweenVerticalStart} />
      </Popover.Trigger>
      <Portal>
        <Popover.Positioner>
          <Popover.Content bg="raised" borderWidth="1px" borderColor="line" width="auto" p="3">
            <Box display="flex" flexDirection="column" gap="2">
              <Box display="flex" alignItems="center" gap="1">
                <LocalNumber
                  label="How many frames"
                  read={() => count}
                  min={1}
                  step={0.2}
                  decimals={0}
                  onChange={(value) => setCount(Math.round(value))}
                />
                <Text>frames at the playhead</Text>
              </Box>
              {[
                { what: name, layer: lit },
                { what: 'the whole project', layer: undefined },
              ].map(({ what, layer }) => (
                <Box key={what} display="flex" alignItems="center" gap="1">
                  <Text flex="1" maxWidth="150px" truncate>
                    {what}
                  </Text>
                  <Choice on={false} onClick={() => change(count, layer)}>
                    insert
                  </Choice>
                  <Choice on={false} onClick={() => change(-count, layer)}>
                    remove
                  </Choice>
                </Box>
              ))}
            </Box>
          </Popover.Content>
        </Popover.Positioner>
      </Portal>
    </Popover.Root>
  );
}
