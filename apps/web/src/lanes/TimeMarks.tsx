import { chakra } from '@chakra-ui/react';
import { frameNumber, type TimeMark } from '@evlay/core';
import { MessageSquare } from 'lucide-react';
import { type PointerEvent, useRef, useState } from 'react';
import { perform } from '../commands/command.js';
import { moveMark, removeMark, renameMark } from '../commands/project/marks.js';
import { goToNote } from '../commands/project/notes.js';
import { scrub, setPlayRange } from '../commands/view/transport.js';
import { item, openMenu } from '../controls/context-menu.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import { startDrag } from '../gestures/gesture.js';
import { CLICK } from '../gestures/pointer.js';
import { framesPerPixel, frameToX, type TimeScale } from '../timeline/time-scale.js';
import { NameField } from '../ui/NameField.js';

/** Frames with names above the ruler, and which part of the range is played. */
export function TimeMarks({ scale, left }: { scale: TimeScale; left: number }) {
  const marks = useProject((project) => project.marks);
  return (
    <chakra.div
      position="absolute"
      top="0"
      left={`${left}px`}
      width={`${scale.width}px`}
      height="13px"
      overflow="hidden"
      pointerEvents="none"
      zIndex="2"
    >
      <PlayRange scale={scale} />
      {marks.map((mark) => (
        <Mark key={mark.id} mark={mark} scale={scale} />
      ))}
      <NoteMarks scale={scale} />
    </chakra.div>
  );
}

/** Notes at their frames, those that are done paler: a click goes there. */
function NoteMarks({ scale }: { scale: TimeScale }) {
  const editor = useEditor();
  const notes = useProject((project) => project.notes);
  return notes.map((note) => {
    const x = frameToX(scale, note.frame);
    if (x < -10 || x > scale.width) return null;
    return (
      <chakra.button
        key={note.id}
        type="button"
        position="absolute"
        top="1px"
        left={`${x - 6}px`}
        height="12px"
        width="12px"
        padding="0"
        color={note.done ? 'quiet' : 'lamp'}
        pointerEvents="auto"
        cursor="pointer"
        aria-label={`Note of ${note.by || 'somebody'} at frame ${frameNumber(editor.history.project(), note.frame)}`}
        title={note.text}
        onClick={() => perform(editor, goToNote, note)}
      >
        <MessageSquare size={12} fill="currentColor" aria-hidden />
      </chakra.button>
    );
  });
}

function PlayRange({ scale }: { scale: TimeScale }) {
  const editor = useEditor();
  const range = useSession((state) => state.playRange);
  if (!range) return null;
  const [x0, x1] = range.map((frame) => frameToX(scale, frame));
  const grab = (event: PointerEvent, which: 0 | 1 | undefined) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    startDrag(editor, event, {
      command: setPlayRange,
      to(dx) {
        const by = dx * framesPerPixel(scale);
        return [range[0] + (which === 1 ? 0 : by), range[1] + (which === 0 ? 0 : by)] as const;
      },
    });
  };
  const part = (at: number, width: number, which: 0 | 1 | undefined, cursor: string) => (
    <chakra.div
      position="absolute"
      top="0"
      left={`${at}px`}
      width={`${Math.max(2, width)}px`}
      height="6px"
      bg="lamp"
      opacity={which === undefined ? 0.45 : 1}
      pointerEvents="auto"
      cursor={cursor}
      touchAction="none"
      data-does="What is played: drag its ends or all of it; double click: play the whole range again"
      onPointerDown={(event) => grab(event, which)}
      onDoubleClick={() => perform(editor, setPlayRange, undefined)}
    />
  );
  return (
    <chakra.div data-play-range={range.join(' ')}>
      {part(x0, x1 - x0, undefined, 'grab')}
      {part(x0 - 2, 4, 0, 'ew-resize')}
      {part(x1 - 2, 4, 1, 'ew-resize')}
    </chakra.div>
  );
}

function Mark({ mark, scale }: { mark: TimeMark; scale: TimeScale }) {
  const editor = useEditor();
  const [typing, setTyping] = useState(false);
  const pressed = useRef(0);
  const x = frameToX(scale, mark.frame);
  if (x < -80 || x > scale.width) return null;
  const grab = (event: PointerEvent) => {
    if (event.button !== 0 || typing) return;
    event.stopPropagation();
    pressed.current = event.clientX;
    startDrag(editor, event, {
      command: moveMark,
      to: (dx) => ({ id: mark.id, frame: Math.round(mark.frame + dx * framesPerPixel(scale)) }),
    });
  };
  return (
    <chakra.div
      position="absolute"
      top="0"
      left={`${x}px`}
      height="13px"
      display="flex"
      pointerEvents="auto"
      touchAction="none"
      borderLeftWidth="2px"
      borderColor="quiet"
      onPointerDown={grab}
      onContextMenu={(event) =>
        openMenu(event, [
          item(scrub, mark.frame, `Go to ${mark.name}`),
          { label: 'Rename it', refused: () => undefined, run: () => setTyping(true) },
          item(removeMark, mark.id),
        ])
      }
      data-does="Click to go to the mark, drag to move it; double click: rename it; right click: more"
    >
      {typing ? (
        <NameField
          label="Name of the mark"
          name={mark.name}
          autoFocus
          onRename={(name) => perform(editor, renameMark, { id: mark.id, name })}
          onLeave={() => setTyping(false)}
          width="90px"
          height="13px"
          fontSize="11px"
        />
      ) : (
        <chakra.button
          type="button"
          px="1"
          fontSize="10px"
          lineHeight="13px"
          bg="raised"
          color="text"
          borderBottomRightRadius="3px"
          cursor="pointer"
          whiteSpace="nowrap"
          aria-label={`Go to the mark ${mark.name} at frame ${frameNumber(editor.history.project(), mark.frame)}`}
          onClick={(event) => {
            // The click at the end of a drag goes nowhere.
            const dragged = event.detail > 0 && Math.abs(event.clientX - pressed.current) >= CLICK;
            if (!dragged) perform(editor, scrub, mark.frame);
          }}
          onDoubleClick={() => setTyping(true)}
        >
          {mark.name}
        </chakra.button>
      )}
    </chakra.div>
  );
}
