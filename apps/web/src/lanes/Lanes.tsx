import { Box, Text } from '@chakra-ui/react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { changeRange } from '../commands/project/project.js';
import { useEditor, useFirst, useProject, useSession } from '../editor/context.js';
import { setDisplay } from '../editor/session.js';
import { FindingMarks } from '../timeline/FindingMarks.js';
import { PlayheadLine } from '../timeline/PlayheadLine.js';
import { Ruler } from '../timeline/Ruler.js';
import { type TimeScale, wholeRange, xToFrame, zoomed } from '../timeline/time-scale.js';
import { type Rectangle, useBox } from '../ui/use-box.js';
import { dragBox, type PlacedStrip, type Strips, StripsContext } from './keys/box.js';
import { PickedBar } from './keys/PickedBar.js';
import { PickedKeys } from './keys/PickedKeys.js';
import { NAMES, NameColumnEdge, namesWidth } from './NameColumn.js';
import { FindLayers } from './stack/FindLayers.js';
import { GroupLane } from './stack/GroupLane.js';
import { Lane } from './stack/Lane.js';
import { AddLayerButtons, RangeFields, TimeBar } from './stack/LaneTools.js';
import { isFound, type LaneRow, laneRows } from './stack/rows.js';
import { VariantBar } from './stack/VariantBar.js';
import { TimeMarks } from './TimeMarks.js';
import { useSteady } from './use-steady.js';

const SLIM = 26;
const TALL = 84;
const RULER = 32;
/** Milliseconds for which the playhead has to rest until lanes are found by what is at its frame. */
const CALM = 150;

interface LanesProps {
  /** What stands in the lanes' place, on their time axis, while curves are shown: `header` pixels belong to its names. */
  readonly curves: (axis: {
    readonly scale: TimeScale;
    readonly header: number;
    /** The edge of the names, by which they are widened. */
    readonly edge: React.ReactNode;
  }) => React.ReactNode;
}

/** The stack over time: one lane a layer, the base at the bottom, all on one time axis. */
export function Lanes({ curves }: LanesProps) {
  const editor = useEditor();
  const { rows, count } = useLaneRows();
  const finding = useSession((state) => state.find.open);
  const range = useProject((project) => project.range);
  const zero = useFirst();
  const shown = useSession((state) => state.window);
  const showsCurves = useSession((state) => state.curves);
  const window = shown ?? wholeRange(range);
  const area = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState(600 + NAMES);
  const header = namesWidth(
    useSession((state) => state.wideNames),
    room,
  );
  const width = Math.max(120, room - header);
  const scale: TimeScale = useMemo(
    () => ({ from: window[0], to: window[1], width }),
    [window[0], window[1], width],
  );

  useEffect(() => {
    if (!area.current) return;
    const observer = new ResizeObserver(([entry]) => setRoom(Math.floor(entry.contentRect.width - 12)));
    observer.observe(area.current);
    return () => observer.disconnect();
  }, []);

  const edge = <NameColumnEdge width={header} room={room} />;

  useWheel(area, scale, header);
  useFollow(scale);

  const list = useRef<HTMLDivElement>(null);
  const lit = useSession((state) => state.lit);
  const steady = useSteady(list, lit);

  const [box, showBox] = useBox();
  const placed = useRef(new Set<PlacedStrip>());
  const strips = useMemo<Strips>(() => {
    const show = (rectangle: Rectangle | undefined) => {
      const around = area.current?.getBoundingClientRect();
      if (!rectangle || !around) return showBox(undefined);
      showBox({
        left: rectangle.left - around.left,
        right: rectangle.right - around.left,
        top: rectangle.top - around.top,
        bottom: rectangle.bottom - around.top,
      });
    };
    return {
      add(strip) {
        placed.current.add(strip);
        return () => placed.current.delete(strip);
      },
      box: (press) => dragBox(editor, press, placed.current, scale, show),
    };
  }, [editor, scale, showBox]);

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
        <TimeBar width={header} />
        <Ruler
          scale={scale}
          height={RULER}
          ends={range}
          zero={zero}
          what="range"
          command={changeRange}
          to={(ends) => ends}
          playsPart
        />
      </Box>
      <TimeMarks scale={scale} left={header} />
      <FindingMarks scale={scale} left={header} top={RULER - 9} />
      <VariantBar />
      {showsCurves ? (
        curves({ scale, header, edge })
      ) : (
        <StripsContext value={strips}>
          {finding && <FindLayers found={rows.filter(({ kind }) => kind === 'layer').length} of={count} />}
          <Box flex="1" minHeight="0" display="flex" position="relative">
            <Box
              ref={list}
              {...steady}
              flex="1"
              overflowY="auto"
              overflowX="hidden"
              userSelect="none"
              role="list"
              aria-label="Layers, the topmost first"
              data-scrolls
              data-lanes
              data-does="Drag over the empty place to pick keys in a box"
              onPointerDown={(event) => {
                if (event.target === event.currentTarget && event.button === 0) strips.box(event);
              }}
            >
              {rows.map((row) =>
                row.kind === 'group' ? (
                  <GroupLane key={row.id} id={row.id} scale={scale} header={header} height={SLIM} />
                ) : (
                  <Lane key={row.id} id={row.id} scale={scale} header={header} tall={TALL} slim={SLIM} />
                ),
              )}
              {rows.length === 0 && (
                <Text color="quiet" px="3" py="2">
                  No layer is like that. Show all layers again, or search for something else.
                </Text>
              )}
            </Box>
            {edge}
          </Box>
        </StripsContext>
      )}
      <PickedBar scale={scale} left={header} top={RULER - 3} />
      {box}
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
        <PickedKeys />
        <RangeFields />
      </Box>
      <PlayheadLine scale={scale} left={header} bottom="32px" />
    </Box>
  );
}

/** The rows that the lanes show, from the top, and how many layers there are. */
function useLaneRows(): { rows: readonly LaneRow[]; count: number } {
  const { stage } = useEditor();
  const folded = useSession((state) => state.folded);
  const find = useSession((state) => state.find);
  const text = useProject((project) =>
    JSON.stringify(laneRows(project, folded, (layer) => isFound(project, layer, find, stage.get()))),
  );
  const count = useProject((project) => project.layers.length);
  const [, ask] = useState(0);
  const here = find.open && (find.only === 'keys here' || find.only === 'does nothing here');
  // What is asked of a frame is asked again when the playhead has come to rest on another one.
  useEffect(() => {
    if (!here) return;
    let timer: ReturnType<typeof setTimeout>;
    const stop = stage.subscribe(() => {
      clearTimeout(timer);
      timer = setTimeout(() => ask((k) => k + 1), CALM);
    });
    return () => {
      clearTimeout(timer);
      stop();
    };
  }, [here, stage]);
  const rows = useMemo(() => JSON.parse(text) as LaneRow[], [text]);
  return { rows, count };
}

/** Keeps the playhead in sight, where that is wanted: the axis goes on by pages. */
function useFollow(scale: TimeScale): void {
  const { playhead, session } = useEditor();
  useEffect(
    () =>
      playhead.subscribe(() => {
        const { followsPlayhead, window: shown } = session.getState();
        const frame = playhead.get();
        if (!followsPlayhead || !shown || (frame >= scale.from && frame <= scale.to)) return;
        const span = scale.to - scale.from;
        setDisplay(session, { window: [frame - 0.1 * span, frame + 0.9 * span] });
      }),
    [playhead, session, scale],
  );
}

/** Ctrl and the wheel zoom the time axis around the pointer; Shift and the wheel, or a sideways wheel, move it. */
function useWheel(area: React.RefObject<HTMLDivElement | null>, scale: TimeScale, header: number): void {
  const { history, session } = useEditor();
  useEffect(() => {
    const element = area.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      const x = event.clientX - element.getBoundingClientRect().left - header;
      const sideways = event.shiftKey ? event.deltaY || event.deltaX : event.deltaX;
      if (x < 0 || (!event.ctrlKey && sideways === 0)) return;
      event.preventDefault();
      const project = history.project();
      const before = session.getState().window ?? wholeRange(project.range);
      if (event.ctrlKey)
        setDisplay(session, {
          window: zoomed(before, xToFrame(scale, x), 1.002 ** event.deltaY, project.range),
        });
      else {
        const by = (sideways / scale.width) * (before[1] - before[0]);
        setDisplay(session, { window: [before[0] + by, before[1] + by] });
      }
    };
    element.addEventListener('wheel', onWheel, { passive: false });
    return () => element.removeEventListener('wheel', onWheel);
  }, [area, scale, header, history, session]);
}
