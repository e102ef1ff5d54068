import { Box, Text } from '@chakra-ui/react';
import { actsAsChange } from '@evlay/core/evaluate';
import { memberCount } from '@evlay/core/rig';
import { useEffect, useRef } from 'react';
import { useShallow } from 'zustand/react/shallow';
import { LayerMark } from '../../controls/LayerMark.js';
import { useEditor, useSeen, useSession } from '../../editor/context.js';

/** For the picked joint: whose pose it has, and what has been added, at this frame. */
export function DrivenBy() {
  const { stage } = useEditor();
  const joint = useSession((state) => state.picked.at(-1));
  const name = useSeen((project) => (joint === undefined ? '' : project.rig.joints[joint]?.name));
  const layers = useSeen(useShallow((project) => project.layers.map((layer) => `${layer.id} ${layer.name}`)));
  const box = useRef<HTMLDivElement>(null);

  useEffect(() => {
    const rows = [...(box.current?.querySelectorAll<HTMLElement>('[data-row]') ?? [])].map((row) => ({
      row,
      i: Number(row.dataset.row),
      amount: row.lastElementChild!,
    }));
    const show = () => {
      const shown = stage.get();
      if (joint === undefined) return;
      const n = memberCount(shown.project.rig);
      for (const { row, i, amount } of rows) {
        const share = shown.attribution.shares[(i + 1) * n + joint];
        const turn = (shown.attribution.turns[i * n + joint] * 180) / Math.PI;
        const layer = shown.stack.layers[i];
        const asChange = layer !== undefined && actsAsChange(layer);
        const moved = shown.attribution.moves[i * n + joint] * shown.project.metresPerUnit * 100;
        const counts = asChange ? turn > 0.05 || moved > 0.05 : share > 0.004;
        const changed = turn > 0.05 ? `+${turn.toFixed(1)}°` : `+${moved.toFixed(1)} cm`;
        const text = asChange ? changed : `${Math.round(share * 100)} %`;
        // The page lays out again what is written, also where it says the same.
        if ((row.style.display === 'flex') !== counts) row.style.display = counts ? 'flex' : 'none';
        if (counts && amount.textContent !== text) amount.textContent = text;
      }
    };
    show();
    return stage.subscribe(show);
  });

  if (joint === undefined) return null;
  return (
    <Box
      ref={box}
      position="absolute"
      top="3"
      right="3"
      minWidth="190px"
      maxWidth="260px"
      bg="panel"
      borderWidth="1px"
      borderColor="line"
      borderRadius="l2"
      boxShadow="float"
      px="3"
      py="2"
      pointerEvents="none"
    >
      <Text fontWeight="600" truncate>
        {name}{' '}
        <Text as="span" color="quiet" fontWeight="400">
          driven by
        </Text>
      </Text>
      {[...layers.keys()].reverse().map((i) => (
        <Row key={layers[i]} index={i}>
          <LayerMark index={i} small />
          <Text truncate>{layers[i].slice(layers[i].indexOf(' ') + 1)}</Text>
        </Row>
      ))}
      <Row index={-1}>
        <Text color="quiet">rest pose</Text>
      </Row>
    </Box>
  );
}

function Row({ index, children }: { index: number; children: React.ReactNode }) {
  return (
    <Box data-row={index} display="none" alignItems="center" gap="2" py="1px">
      {children}
      <Text as="span" fontFamily="mono" marginLeft="auto" whiteSpace="nowrap" />
    </Box>
  );
}
