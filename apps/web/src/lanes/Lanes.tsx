import { Box } from '@chakra-ui/react';
import { setRange } from '@evlay/core/edit';
import { useEffect, useMemo, useRef, useState } from 'react';
import { currentProject, edit, useProject } from '../state/project-store.js';
import { sessionStore, setSession, useSession } from '../state/session-store.js';
import { stage } from '../state/stage.js';
import { LaneHeader } from './LaneHeader.js';
import { LaneTrack } from './LaneTrack.js';
import { PlayheadLine } from './PlayheadLine.js';
import { Ruler } from './Ruler.js';
import { AddLayerButtons, RangeFields, TimeBar } from './TimeBar.js';
import { type TimeScale, wholeRange, xToFrame, zoomed } from './time-scale.js';

const HEADER = 420;
const SLIM = 26;
const TALL = 84;
const RULER = 32;

/** The stack over time: one lane a layer, the base at the bottom, all on one time axis. */
export function Lanes() {
  const project = useProject((current) => current);
  const lit = useSession((state) => state.lit);
  const window = useSession((state) => state.window) ?? wholeRange(project);
  const area = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(600);
  const scale: TimeScale = useMemo(
    () => ({ from: window[0], to: window[1], width }),
    [window[0], window[1], width],
  );
  useTrial();
  const stack = stage.get()?.stack;

  useEffect(() => {
    if (!area.current) return;
    const observer = new ResizeObserver(([entry]) =>
      setWidth(Math.max(120, Math.floor(entry.contentRect.width - HEADER - 12))),
    );
    observer.observe(area.current);
    return () => observer.disconnect();
  }, []);

  useWheel(area, scale);

  const layers = [...project.layers.entries()].reverse();
  return (
    <Box
      ref={area}
      as="section"
      aria-label="Lanes"
      height="100%"
      display="flex"
      flexDirection="column"
      bg="panel"
      position="relative"
      overflow="hidden"
    >
      <Box
        display="flex"
        height={`${RULER}px`}
        flex="none"
        alignItems="center"
        borderBottomWidth="1px"
        borderColor="line"
      >
        <TimeBar width={HEADER} />
        <Ruler
          scale={scale}
          height={RULER}
          ends={project.range}
          what="range"
          onDrag={([first, last], drag) => edit((p) => setRange(p, first, last), drag)}
        />
      </Box>
      <Box flex="1" overflowY="auto" overflowX="hidden" role="list" aria-label="Layers, the topmost first">
        {layers.map(([index, layer]) => {
          const isLit = layer.id === lit;
          const height = isLit ? TALL : SLIM;
          const compiled = stack?.layers.find((candidate) => candidate.layer.id === layer.id);
          return (
            <Box
              key={layer.id}
              role="listitem"
              display="flex"
              height={`${height}px`}
              borderBottomWidth="1px"
              borderColor="line"
              bg={isLit ? 'raised' : 'transparent'}
              _hover={{ bg: 'raised' }}
              data-lit={isLit || undefined}
            >
              <LaneHeader layer={layer} index={index} lit={isLit} width={HEADER} height={height} />
              {compiled && (
                <LaneTrack
                  compiled={compiled}
                  live={stack?.live[index] ?? true}
                  lit={isLit}
                  base={index === 0}
                  scale={scale}
                  height={height - 1}
                />
              )}
            </Box>
          );
        })}
      </Box>
      <Box
        display="flex"
        flex="none"
        alignItems="center"
        justifyContent="space-between"
        px="2"
        height="32px"
        borderTopWidth="1px"
        borderColor="line"
      >
        <AddLayerButtons />
        <RangeFields />
      </Box>
      <PlayheadLine scale={scale} left={HEADER} bottom="32px" />
    </Box>
  );
}

/** Draws the lanes anew when a tried pose changes what is compiled. */
function useTrial(): void {
  useSession((state) => state.trial);
}

/** Ctrl and the wheel zoom the time axis around the pointer; Shift and the wheel, or a sideways wheel, move it. */
function useWheel(area: React.RefObject<HTMLDivElement | null>, scale: TimeScale): void {
  useEffect(() => {
    const element = area.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      const x = event.clientX - element.getBoundingClientRect().left - HEADER;
      const sideways = event.shiftKey ? event.deltaY || event.deltaX : event.deltaX;
      if (x < 0 || (!event.ctrlKey && sideways === 0)) return;
      event.preventDefault();
      const project = currentProject();
      const before = sessionStore.getState().window ?? wholeRange(project);
      if (event.ctrlKey)
        setSession({ window: zoomed(before, xToFrame(scale, x), 1.002 ** event.deltaY, project) });
      else {
        const by = (sideways / scale.width) * (before[1] - before[0]);
        setSession({ window: [before[0] + by, before[1] + by] });
      }
    };
    element.addEventListener('wheel', onWheel, { passive: false });
    return () => element.removeEventListener('wheel', onWheel);
  }, [area, scale]);
}
