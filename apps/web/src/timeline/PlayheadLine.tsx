import { Box } from '@chakra-ui/react';
import { useEffect, useRef } from 'react';
import { useEditor } from '../editor/context.js';
import { frameToX, type TimeScale } from './time-scale.js';

interface PlayheadLineProps {
  readonly scale: TimeScale;
  /** Pixels from the left edge to where the time axis begins. */
  readonly left: number;
  readonly bottom?: string;
  /** Where frame 0 of what plays lies on the axis. */
  readonly origin?: number;
}

/** The line at the frame that is shown, across all that stands on a time axis. */
export function PlayheadLine({ scale, left, bottom = '0', origin = 0 }: PlayheadLineProps) {
  const { playhead } = useEditor();
  const line = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const place = () => {
      if (!line.current) return;
      const x = frameToX(scale, origin + playhead.get());
      line.current.style.transform = `translateX(${x}px)`;
      line.current.style.visibility = x < -1 || x > scale.width + 1 ? 'hidden' : 'visible';
    };
    place();
    return playhead.subscribe(place);
  }, [playhead, scale, origin]);
  return (
    <Box
      ref={line}
      position="absolute"
      top="0"
      bottom={bottom}
      left={`${left - 1}px`}
      width="2px"
      bg="lamp"
      pointerEvents="none"
    >
      <Box
        position="absolute"
        top="0"
        left="-5px"
        width="12px"
        height="12px"
        bg="lamp"
        borderRadius="3px 3px 6px 6px"
      />
    </Box>
  );
}
