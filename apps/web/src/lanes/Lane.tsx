import { Box } from '@chakra-ui/react';
import { layerById, layerIndex, takeOf } from '@evlay/core';
import { memo } from 'react';
import { useLayer, useProject, useSession } from '../editor/context.js';
import type { TimeScale } from '../timeline/time-scale.js';
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

/** One layer of the stack: its header, its track, and where it is open the rows below it. */
export const Lane = memo(function Lane({ id, scale, header, tall, slim }: LaneProps) {
  const lit = useSession((state) => state.lit === id);
  const picked = useSession((state) => state.layers.includes(id) && state.layers.includes(state.lit));
  const opened = useSession((state) => state.open.includes(id));
  const opens = useProject((project) => {
    const layer = layerById(project, id);
    return layer !== undefined && hasRows(layer, project.parts);
  });
  const index = useProject((project) => layerIndex(project, id));
  const head = useLayer(id, (layer): LayerHead | Record<string, never> => {
    if (!layer) return {};
    const { name, mode, muted, solo, locked, span, content } = layer;
    return { id, name, mode, muted, solo, locked, span, kind: content.kind, take: takeOf(layer)?.take };
  });
  if (!('id' in head)) return null;
  const height = lit ? tall : slim;
  const open = opened && opens;
  return (
    <Box
      role="listitem"
      data-layer={id}
      data-lit={lit || undefined}
      data-picked={picked || undefined}
      borderBottomWidth="1px"
      borderColor="line"
      // A lane out of sight is neither laid out nor drawn.
      css={open ? undefined : { contentVisibility: 'auto', containIntrinsicHeight: `${height}px` }}
    >
      <Box
        display="flex"
        height={`${height - 1}px`}
        bg={lit ? 'raised' : picked ? 'raised/60' : 'transparent'}
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
        <LaneTrack id={id} lit={lit} scale={scale} height={height - 1} />
      </Box>
      {open && <LaneRows id={id} scale={scale} header={header} />}
    </Box>
  );
});
