import { Box } from '@chakra-ui/react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { changeRange } from '../commands/project.js';
import { useEditor, useProject, useSeen, useSession } from '../editor/context.js';
import { PlayheadLine } from '../timeline/PlayheadLine.js';
import { Ruler } from '../timeline/Ruler.js';
import { type TimeScale, wholeRange, xToFrame, zoomed } from '../timeline/time-scale.js';
import { LaneHeader } from './LaneHeader.js';
import { hasRows, LaneRows } from './LaneRows.js';
import { AddLayerButtons, RangeFields, TimeBar } from './LaneTools.js';
import { LaneTrack } from './LaneTrack.js';

const HEADER = 440;
const SLIM = 26;
const TALL = 84;
const RULER = 32;

/** The stack over time: one lane a layer, the base at the bottom, all on one time axis. */
export function Lanes() {
  const { stage } = useEditor();
  const project = useProject((current) => current);
  // A tried pose changes what is compiled.
  useSeen((current) => current);
  const lit = useSession((state) => state.lit);
  const open = useSession((state) => state.open);
  const window = useSession((state) => state.window) ?? wholeRange(project);
  const area = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(600);
  const scale: TimeScale = useMemo(
    () => ({ from: window[0], to: window[1], width }),
    [window[0], window[1], width],
  );
  const { stack } = stage.get();

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
          command={changeRange}
          to={(ends) => ends}
        />
      </Box>
      <Box flex="1" overflowY="auto" overflowX="hidden" role="list" aria-label="Layers, the topmost first">
        {layers.map(([index, layer]) => {
          const isLit = layer.id === lit;
          const isOpen = open.includes(layer.id) && hasRows(layer, project.parts);
          const height = isLit ? TALL : SLIM;
          const compiled = stack.layers.find((candidate) => candidate.layer.id === layer.id);
          return (
            <Box
              key={layer.id}
              role="listitem"
              borderBottomWidth="1px"
              borderColor="line"
              data-lit={isLit || undefined}
            >
              <Box
                display="flex"
                height={`${height - 1}px`}
                bg={isLit ? 'raised' : 'transparent'}
                _hover={{ bg: 'raised' }}
              >
                <LaneHeader
                  layer={layer}
                  index={index}
                  lit={isLit}
                  open={isOpen}
                  width={HEADER}
                  height={height}
                />
                {compiled && (
                  <LaneTrack
                    compiled={compiled}
                    layer={layer}
                    on={stack.live[index] ?? true}
                    lit={isLit}
                    base={index === 0}
                    scale={scale}
                    height={height - 1}
                  />
                )}
              </Box>
              {isOpen && <LaneRows layer={layer} scale={scale} header={HEADER} />}
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

/** Ctrl and the wheel zoom the time axis around the pointer; Shift and the wheel, or a sideways wheel, move it. */
function useWheel(area: React.RefObject<HTMLDivElement | null>, scale: TimeScale): void {
  const { history, session } = useEditor();
  useEffect(() => {
    const element = area.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      const x = event.clientX - element.getBoundingClientRect().left - HEADER;
      const sideways = event.shiftKey ? event.deltaY || event.deltaX : event.deltaX;
      if (x < 0 || (!event.ctrlKey && sideways === 0)) return;
      event.preventDefault();
      const project = history.project();
      const before = session.getState().window ?? wholeRange(project);
      if (event.ctrlKey)
        session.setState({ window: zoomed(before, xToFrame(scale, x), 1.002 ** event.deltaY, project) });
      else {
        const by = (sideways / scale.width) * (before[1] - before[0]);
        session.setState({ window: [before[0] + by, before[1] + by] });
      }
    };
    element.addEventListener('wheel', onWheel, { passive: false });
    return () => element.removeEventListener('wheel', onWheel);
  }, [area, scale, history, session]);
}
