import { Box, Text } from '@chakra-ui/react';
import { type Take } from '@evlay/core';
import { sourceOf } from '@evlay/core/edit';
import { useEffect, useMemo, useRef, useState } from 'react';
import { ContactRow } from '../lanes/ContactRow.js';
import { PlayheadLine } from '../lanes/PlayheadLine.js';
import { Ruler } from '../lanes/Ruler.js';
import { Transport } from '../lanes/TimeBar.js';
import type { TimeScale } from '../lanes/time-scale.js';
import { useProject } from '../state/project-store.js';
import { changeContacts, remake } from '../workers/make.js';

const HEADER = 236;
const ROW = 16;
const RULER = 32;

/** The chosen take over time: all of its source with the ends of the trim, and below when each foot stands. */
export function TakeTime({ take }: { take: Take }) {
  const project = useProject((current) => current);
  const source = sourceOf(project, take);
  const area = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(500);
  const [trial, setTrial] = useState<readonly [number, number]>();
  const perSample = source.interval * project.fps;
  const whole = Math.max(1, (source.count - 1) * perSample);
  const [first, last] = take.made?.trim ?? [0, source.count - 1];
  const origin = first * perSample;
  const ends = trial ?? [origin, last * perSample];
  const scale: TimeScale = useMemo(() => ({ from: -0.03 * whole, to: 1.03 * whole, width }), [whole, width]);
  const feet = take.contacts?.joints ?? [];

  useEffect(() => {
    if (!area.current) return;
    const observer = new ResizeObserver(([entry]) =>
      setWidth(Math.max(120, Math.floor(entry.contentRect.width - HEADER - 12))),
    );
    observer.observe(area.current);
    return () => observer.disconnect();
  }, []);

  const letGo = () => {
    if (!trial) return;
    const trim = trial.map((frame) => Math.min(source.count - 1, Math.max(0, Math.round(frame / perSample))));
    void remake(take, { trim: [trim[0], trim[1]] }).finally(() => setTrial(undefined));
  };
  const own = take.interval * project.fps;
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
      <Box display="flex" height={`${RULER}px`} alignItems="center">
        <Box width={`${HEADER}px`} flex="none" display="flex" alignItems="center" gap="1" px="2">
          <Transport />
        </Box>
        <Ruler
          scale={scale}
          height={RULER}
          ends={[Math.round(ends[0]), Math.round(ends[1])]}
          what="take"
          origin={origin}
          onDrag={setTrial}
          onLetGo={letGo}
        />
      </Box>
      {take.contacts && feet.length > 0 && (
        <Box display="flex" pb="2">
          <Box width={`${HEADER}px`} flex="none" px="3">
            {feet.map((foot) => (
              <Text key={foot} height={`${ROW}px`} lineHeight={`${ROW}px`} color="quiet" truncate>
                {foot} stands
              </Text>
            ))}
          </Box>
          <svg width={scale.width} height={ROW * feet.length}>
            <title>Contacts</title>
            {feet.map((foot, k) => (
              <ContactRow
                key={foot}
                contacts={take.contacts!}
                joint={foot}
                last={take.count - 1}
                frameOf={(sample) => origin + sample * own}
                sampleOf={(frame) => (frame - origin) / own}
                scale={scale}
                y={k * ROW}
                height={ROW}
                onChange={(contacts, drag) => changeContacts(take.id, contacts, drag)}
              />
            ))}
          </svg>
        </Box>
      )}
      <PlayheadLine scale={scale} left={HEADER} origin={origin} />
    </Box>
  );
}
