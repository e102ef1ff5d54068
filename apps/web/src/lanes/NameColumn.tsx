import { Box } from '@chakra-ui/react';
import { useEditor, useSession } from '../editor/context.js';
import { setDisplay } from '../editor/session.js';
import { followPointer } from '../gestures/pointer.js';

/** Pixels that the column of names has at least, which are its usual ones, and that the time axis keeps. */
export const NAMES = 468;
const AXIS = 240;
const STEP = 16;

/** How wide the column of names is where so many pixels are there for it and the time axis. */
export const namesWidth = (extra: number, room: number): number =>
  NAMES + Math.round(Math.max(0, Math.min(extra, room - AXIS - NAMES)));

interface NameColumnProps {
  readonly width: number;
  /** Pixels for the column and the time axis. */
  readonly room: number;
}

/** The edge between the names and the time axis: a drag or the arrow keys widen the column, a double click takes that back. */
export function NameColumnEdge({ width, room }: NameColumnProps) {
  const { session } = useEditor();
  const extra = useSession((state) => state.wideNames);
  const widen = (wanted: number) => setDisplay(session, { wideNames: namesWidth(wanted, room) - NAMES });
  return (
    <Box
      role="separator"
      tabIndex={0}
      aria-label="Width of the names"
      aria-orientation="vertical"
      aria-valuemin={NAMES}
      aria-valuemax={namesWidth(Number.POSITIVE_INFINITY, room)}
      aria-valuenow={width}
      data-does="Drag to widen the names, double click: as wide as usual"
      position="absolute"
      left={`${width - 3}px`}
      top="0"
      bottom="0"
      width="5px"
      cursor="col-resize"
      touchAction="none"
      _hover={{ bg: 'line' }}
      _focusVisible={{ bg: 'lamp' }}
      outline="none"
      onDoubleClick={() => widen(0)}
      onKeyDown={(event) => {
        const by = { ArrowLeft: -STEP, ArrowRight: STEP }[event.key];
        if (by === undefined) return;
        event.preventDefault();
        event.stopPropagation();
        widen(width - NAMES + by);
      }}
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        event.preventDefault();
        const from = width - NAMES;
        followPointer(event, {
          move: (dx) => widen(from + dx),
          end: (kept) => !kept && widen(extra),
        });
      }}
    />
  );
}
