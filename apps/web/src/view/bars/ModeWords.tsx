import { Box, chakra } from '@chakra-ui/react';
import { X } from 'lucide-react';
import { useEffect, useRef } from 'react';
import { useStore } from 'zustand';
import { useShallow } from 'zustand/react/shallow';
import { perform } from '../../commands/command.js';
import { leaveMode, modesOf } from '../../commands/view/modes.js';
import { useEditor } from '../../editor/context.js';

/** Pixels from the pointer to the words beside it. */
const BESIDE = { x: 14, y: 18 };

/** What changes what the hand does, in words: in the corner of the view, where each can be left, and beside the pointer. */
export function ModeWords() {
  const editor = useEditor();
  const words = useStore(
    editor.session,
    useShallow((state) => modesOf(state).map(({ word }) => word)),
  );
  const beside = useRef<HTMLDivElement>(null);
  const any = words.length > 0;
  useEffect(() => {
    const view = beside.current?.parentElement;
    if (!any || !view) return;
    const move = ({ clientX, clientY, target }: PointerEvent) => {
      const tag = beside.current;
      if (!tag) return;
      const place = view.getBoundingClientRect();
      // Words stay off the bars and off the edge.
      const over = target instanceof HTMLCanvasElement;
      const [x, y] = [clientX - place.left + BESIDE.x, clientY - place.top + BESIDE.y];
      tag.style.visibility =
        over && x + tag.offsetWidth < place.width && y + tag.offsetHeight < place.height
          ? 'visible'
          : 'hidden';
      tag.style.transform = `translate(${x}px, ${y}px)`;
    };
    const leave = () => {
      if (beside.current) beside.current.style.visibility = 'hidden';
    };
    view.addEventListener('pointermove', move);
    view.addEventListener('pointerleave', leave);
    return () => {
      view.removeEventListener('pointermove', move);
      view.removeEventListener('pointerleave', leave);
    };
  }, [any]);
  if (!any) return null;
  return (
    <>
      <Box
        position="absolute"
        left="3"
        top="36px"
        display="flex"
        flexDirection="column"
        alignItems="flex-start"
        gap="1"
        role="group"
        aria-label="Modes"
      >
        {modesOf(editor.session.getState()).map((mode) => (
          <chakra.button
            key={mode.word}
            type="button"
            title={mode.passing ? 'Leave it (Escape)' : 'Leave it'}
            onClick={() => perform(editor, leaveMode, mode)}
            display="flex"
            alignItems="center"
            gap="1.5"
            height="22px"
            px="2"
            bg="panel"
            color="lamp"
            borderWidth="1px"
            borderColor="line"
            borderRadius="l1"
            fontSize="12px"
            cursor="pointer"
          >
            {mode.word}
            <X size={11} aria-hidden />
          </chakra.button>
        ))}
      </Box>
      <Box
        ref={beside}
        aria-hidden
        position="absolute"
        left="0"
        top="0"
        visibility="hidden"
        pointerEvents="none"
        px="1.5"
        bg="panel"
        color="lamp"
        borderRadius="l1"
        fontSize="11px"
        whiteSpace="nowrap"
      >
        {words.join(' · ')}
      </Box>
    </>
  );
}
