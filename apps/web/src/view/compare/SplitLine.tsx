import { Box, Text } from '@chakra-ui/react';
import type { KeyboardEvent } from 'react';
import { useState } from 'react';
import { perform } from '../../commands/command.js';
import { compareBy } from '../../commands/view/comparing.js';
import { beforeName } from '../../controls/before-name.js';
import { useEditor, useSession } from '../../editor/context.js';
import { startDrag } from '../../gestures/gesture.js';
import { useSize } from '../use-size.js';

const within = (split: number): number => Math.min(0.98, Math.max(0.02, split));

/** Pixels of the tools at the lower edge of the view, with what is beside them. */
const TOOLS = 58;

/** The line that divides the view into before and now: dragged, or moved by arrow keys. */
export function SplitLine() {
  const editor = useEditor();
  const split = useSession(({ compare }) => compare.split);
  const before = useSession(({ compare }) => compare.before);
  const [element, setElement] = useState<HTMLDivElement | null>(null);
  const { width } = useSize(element);
  if (split === undefined) return null;
  const onKeyDown = (event: KeyboardEvent) => {
    const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[event.key];
    if (by === undefined) return;
    perform(editor, compareBy, { split: within(split + by) });
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <Box ref={setElement} position="absolute" inset="0" pointerEvents="none">
      <Box
        role="slider"
        tabIndex={0}
        aria-label="Where the view is divided"
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={Math.round(100 * split)}
        data-does="Drag to divide the view elsewhere"
        onKeyDown={onKeyDown}
        onPointerDown={(event) => {
          if (event.button !== 0 || width === 0) return;
          startDrag(editor, event, {
            command: compareBy,
            to: (dx) => ({ split: within(split + dx / width) }),
          });
        }}
        position="absolute"
        left={`calc(${100 * split}% - 6px)`}
        top="0"
        // It is taken hold of above the tools of the view, behind which the line goes on.
        bottom={`${TOOLS}px`}
        width="12px"
        cursor="ew-resize"
        touchAction="none"
        pointerEvents="auto"
        _before={{
          content: '""',
          position: 'absolute',
          left: '5px',
          top: 0,
          bottom: `${-TOOLS}px`,
          width: '2px',
          background: 'lamp',
          pointerEvents: 'none',
        }}
      />
      <Text
        position="absolute"
        top="2"
        right={`calc(${100 * (1 - split)}% + 10px)`}
        bg="panel/80"
        px="2"
        borderRadius="l1"
        whiteSpace="nowrap"
      >
        {beforeName(before)}
      </Text>
      <Text
        position="absolute"
        top="2"
        left={`calc(${100 * split}% + 10px)`}
        bg="panel/80"
        px="2"
        borderRadius="l1"
      >
        now
      </Text>
    </Box>
  );
}
