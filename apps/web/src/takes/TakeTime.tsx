import { Box, Text } from '@chakra-ui/react';
import type { Take } from '@evlay/core';
import { doubtsOf, sourceOf } from '@evlay/core/edit';
import { useEffect, useMemo, useRef, useState } from 'react';
import { changeMaking } from '../commands/scene/takes.js';
import { useProject } from '../editor/context.js';
import { ContactRow } from '../timeline/ContactRow.js';
import { PlayheadLine } from '../timeline/PlayheadLine.js';
import { Ruler } from '../timeline/Ruler.js';
import { Transport } from '../timeline/Transport.js';
import type { TimeScale } from '../timeline/time-scale.js';
import { DoubtRow } from './DoubtRow.js';
import { HandRow } from './HandRow.js';
import { useMadeId } from './making.js';

/** Pixels beside the axis, and what is left of them where there is little room: then the buttons stand above it. */
const HEADER = 288;
const NARROW = { below: 480, header: 76 };
const ROW = 16;
const RULER = 32;

/** The chosen take over time: all of its source with the ends of the trim, and below when each foot stands. */
export function TakeTime({ take }: { take: Take }) {
  const project = useProject((current) => current);
  const source = sourceOf(project, take);
  const made = useMadeId(take);
  const area = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState(748);
  const narrow = room < NARROW.below;
  const header = narrow ? NARROW.header : HEADER;
  const width = Math.max(60, Math.floor(room - header - 12));
  const perSample = source.interval * project.fps;
  const whole = Math.max(1, (source.count - 1) * perSample);
  const [first, last] = take.made?.trim ?? [0, source.count - 1];
  const origin = first * perSample;
  const scale: TimeScale = useMemo(() => ({ from: -0.03 * whole, to: 1.03 * whole, width }), [whole, width]);
  const feet = take.contacts?.joints ?? [];
  const handsMoved = (take.made?.hands && take.handsMoved) || [];
  const hands = [...new Set(handsMoved.map(({ joint }) => joint))];
  const doubts = doubtsOf(project, take);
  const doubtRows = [
    ...new Set(doubts.map(({ what, joint }) => (what === 'lost' ? 'lost samples' : `${joint} weak`))),
  ];
  const rows = feet.length + hands.length + doubtRows.length;

  useEffect(() => {
    if (!area.current) return;
    const observer = new ResizeObserver(([entry]) => setRoom(entry.contentRect.width));
    observer.observe(area.current);
    return () => observer.disconnect();
  }, []);

  const sampleAt = (frame: number) => Math.min(source.count - 1, Math.max(0, Math.round(frame / perSample)));
  const own = take.interval * project.fps;
  const frameOf = (sample: number) => origin + sample * own;
  // The axis, the fields and the number beside Play all count samples of the source.
  const transport = (
    <Transport count={{ label: 'Sample', of: (frame) => Math.round((origin + frame) / perSample) }} />
  );
  return (
    <Box
      ref={area}
      as="section"
      aria-label="Time of the take"
      flex="none"
      bg="panel"
      borderTopWidth="1px"
      borderColor="line"
      position="relative"
    >
      {narrow && (
        <Box height={`${RULER}px`} display="flex" alignItems="center" gap="1" px="2">
          {transport}
        </Box>
      )}
      <Box display="flex" height={`${RULER}px`} alignItems="center">
        <Box width={`${header}px`} flex="none" display="flex" alignItems="center" gap="1" px="2">
          {!narrow && transport}
        </Box>
        <Ruler
          scale={scale}
          height={RULER}
          ends={[Math.round(origin), Math.round(last * perSample)]}
          what="take"
          origin={origin}
          perMark={perSample}
          command={changeMaking}
          to={([from, to]) => ({
            take: take.id,
            steps: { trim: [sampleAt(from), sampleAt(to)] as const },
            made,
          })}
        />
      </Box>
      {rows > 0 && (
        <Box display="flex" pb="2">
          <Box width={`${header}px`} flex="none" px={narrow ? '1' : '3'}>
            {[
              ...feet.map((foot) => `${foot} stands`),
              ...hands.map((hand) => `${hand} kept near`),
              ...doubtRows,
            ].map((text) => (
              <Text key={text} height={`${ROW}px`} lineHeight={`${ROW}px`} color="quiet" truncate>
                {text}
              </Text>
            ))}
          </Box>
          <svg width={scale.width} height={ROW * rows}>
            <title>Contacts, hands that keep their distances, and what was not recorded as it should</title>
            {feet.map((foot, k) => (
              <ContactRow
                key={foot}
                take={take.id}
                contacts={take.contacts!}
                joint={foot}
                last={take.count - 1}
                rate={1 / take.interval}
                frameOf={frameOf}
                sampleOf={(frame) => (frame - origin) / own}
                scale={scale}
                y={k * ROW}
                height={ROW}
              />
            ))}
            {hands.map((hand, k) => (
              <HandRow
                key={hand}
                moved={handsMoved.filter(({ joint }) => joint === hand)}
                centimetres={100 * project.metresPerUnit}
                frameOf={frameOf}
                scale={scale}
                y={(feet.length + k) * ROW}
                height={ROW}
              />
            ))}
            {doubtRows.map((row, k) => (
              <DoubtRow
                key={row}
                doubts={doubts.filter(
                  ({ what, joint }) => row === (what === 'lost' ? 'lost samples' : `${joint} weak`),
                )}
                frameOf={frameOf}
                scale={scale}
                y={(feet.length + hands.length + k) * ROW}
                height={ROW}
              />
            ))}
          </svg>
        </Box>
      )}
      <PlayheadLine scale={scale} left={header} origin={origin} />
    </Box>
  );
}
