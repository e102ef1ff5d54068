import { Box } from '@chakra-ui/react';
import { perform } from '../../commands/command.js';
import { showHeadroom, stayUnderIt } from '../../commands/stack/findings.js';
import { useEditor, useSession } from '../../editor/context.js';
import { frameToX, type TimeScale } from '../../timeline/time-scale.js';
import { Choice } from '../../ui/Choice.js';
import { weightToY } from './weight-shape.js';

interface HeadroomLineProps {
  readonly layer: string;
  readonly part?: string;
  readonly scale: TimeScale;
  readonly height: number;
  /** The weight at the top of the lane. */
  readonly top: number;
}

/** How far a layer can be turned up, as a ceiling in its lane: what is above is hatched. */
export function HeadroomLine({ layer, part, scale, height, top }: HeadroomLineProps) {
  const room = useSession((state) =>
    state.headroom?.layer === layer && state.headroom.part === part ? state.headroom.room : undefined,
  );
  if (!room) return null;
  const points = [...room.frames].map(
    (frame, k) =>
      `${frameToX(scale, frame).toFixed(1)} ${weightToY(Math.min(top, room.ceiling[k]), top, height).toFixed(1)}`,
  );
  const first = frameToX(scale, room.frames[0]);
  const last = frameToX(scale, room.frames[room.frames.length - 1]);
  const ceiling = weightToY(top, top, height);
  return (
    <g pointerEvents="none" data-headroom={layer}>
      <path
        d={`M${first} ${ceiling} L${points.join(' L')} L${last} ${ceiling} Z`}
        fill="var(--evlay-colors-alarm)"
        fillOpacity={0.22}
      />
      <path d={`M${points.join(' L')}`} fill="none" stroke="var(--evlay-colors-alarm)" strokeWidth={1.5} />
    </g>
  );
}

/** What can be done with the headroom that is shown. */
export function HeadroomBar({ layer }: { layer: string }) {
  const editor = useEditor();
  const shown = useSession((state) => (state.headroom?.layer === layer ? state.headroom : undefined));
  if (!shown) return null;
  return (
    <Box
      position="absolute"
      top="2"
      right="2"
      display="flex"
      gap="1"
      bg="panel/80"
      borderRadius="l1"
      px="1"
      py="0.5"
    >
      {shown.room ? (
        <Choice on={false} onClick={() => perform(editor, stayUnderIt, undefined)}>
          stay under it
        </Choice>
      ) : (
        <Box color="quiet" px="1">
          finding its headroom …
        </Box>
      )}
      <Choice on={false} onClick={() => perform(editor, showHeadroom, undefined)}>
        hide headroom
      </Choice>
    </Box>
  );
}
