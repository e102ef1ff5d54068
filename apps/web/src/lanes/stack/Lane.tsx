import { Box } from '@chakra-ui/react';
import { layerById, layerIndex, takeOf } from '@evlay/core';
import { charactersOfLayer } from '@evlay/core/edit';
import { memo, useEffect, useRef } from 'react';
import { useLayer, useProject, useSession } from '../../editor/context.js';
import type { TimeScale } from '../../timeline/time-scale.js';
import { useInSight } from '../../ui/use-sight.js';
import { LaneHeader, type LayerHead } from './LaneHeader.js';
import { hasRows, LaneRows } from './LaneRows.js';
import { LaneTrack } from './LaneTrack.js';

interface LaneProps {
  readonly id: string;
  readonly scale: TimeScale;
  /** Width of the headers, and heights of a lane that is lit and of one that is not. */
  readonly header: number;
  readonly tall: number;
  readonly slim: number;
}

/** One layer of the stack. It is there when it is in sight, and keeps its place where it is not. */
export const Lane = memo(function Lane(props: LaneProps) {
  const { id, slim } = props;
  const lit = useSession((state) => state.lit === id);
  const picked = useSession((state) => state.layers.includes(id) && state.layers.includes(state.lit));
  const box = useRef<HTMLDivElement>(null);
  const { seen, height } = useInSight(box);
  useEffect(() => {
    const lane = box.current;
    if (!lit || !lane) return;
    const show = () => void lane.scrollIntoView({ block: 'nearest' });
    // A lane that the pointer lit stays under it, for a second click, and is shown as a whole when the pointer has left it.
    if (!lane.matches(':hover')) return show();
    lane.addEventListener('pointerleave', show, { once: true });
    return () => lane.removeEventListener('pointerleave', show);
  }, [lit]);
  const there = seen || lit;
  return (
    <Box
      ref={box}
      role="listitem"
      data-layer={id}
      data-lit={lit || undefined}
      data-picked={picked || undefined}
      borderBottomWidth="1px"
      borderColor="line"
      minHeight={there ? undefined : `${height ?? slim}px`}
    >
      {there && <LaneInSight {...props} lit={lit} picked={picked} />}
    </Box>
  );
});

interface LaneInSightProps extends LaneProps {
  readonly lit: boolean;
  readonly picked: boolean;
}

/** A lane's header, its track, and where it is open the rows below it. */
function LaneInSight({ id, scale, header, tall, slim, lit, picked }: LaneInSightProps) {
  const opened = useSession((state) => state.open.includes(id));
  const opens = useProject((project) => {
    const layer = layerById(project, id);
    return layer !== undefined && hasRows(layer, project.parts);
  });
  const index = useProject((project) => layerIndex(project, id));
  const character = useSession((state) => state.character);
  const ofOthers = useProject((project) => {
    if (project.scene.characters.length === 1) return false;
    const own = charactersOfLayer(project, id);
    return own.size > 0 && !own.has(character);
  });
  const head = useLayer(id, (layer): LayerHead | Record<string, never> => {
    if (!layer) return {};
    const { name, mode, muted, solo, locked, span, content } = layer;
    return { id, name, mode, muted, solo, locked, span, kind: content.kind, take: takeOf(layer)?.take };
  });
  if (!('id' in head)) return null;
  const height = lit ? tall : slim;
  // What a layer is called stays easy to read.
  const dimmed = ofOthers && !lit;
  const open = opened && opens;
  return (
    <>
      <Box
        display="flex"
        height={`${height - 1}px`}
        bg={lit ? 'raised' : picked ? 'raised/60' : 'transparent'}
        color={dimmed ? 'quiet' : undefined}
        data-of-others={ofOthers || undefined}
        _hover={{ bg: 'raised' }}
      >
        <LaneHeader
          layer={head as LayerHead}
          opens={opens}
          index={index}
          lit={lit}
          picked={picked}
          open={open}
          width={header}
          height={height}
        />
        <Box flex="none" opacity={dimmed ? 0.4 : 1}>
          <LaneTrack id={id} lit={lit} scale={scale} height={height - 1} />
        </Box>
      </Box>
      {open && <LaneRows id={id} scale={scale} header={header} />}
    </>
  );
}
