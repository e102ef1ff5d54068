import { Box, Text } from '@chakra-ui/react';
import { type CompiledLayer, compileStack, layerTags } from '@evlay/core';
import { alphaRange } from '@evlay/core/check';
import { memo, useMemo } from 'react';
import { LayerMark } from '../controls/LayerMark.js';
import { useProject } from '../editor/context.js';

/** How much a layer counts in a range, in words: weight and fades, in the parts where it counts most. */
function countsText(compiled: CompiledLayer, range: readonly [number, number]): string {
  const [least, most] = alphaRange(compiled, range);
  if (most === 0) return 'nowhere in this range';
  return most - least < 0.005 ? most.toFixed(2) : `${least.toFixed(2)} to ${most.toFixed(2)}`;
}

/** The layers that count, from the top down, as they go into the bake. */
export const StackList = memo(function StackList({ range }: { range: readonly [number, number] }) {
  const project = useProject((current) => current);
  const { layers } = project;
  const { live, layers: compiled } = useMemo(() => compileStack(project), [project]);
  const tags = layerTags(layers);
  return (
    <Box as="ul" listStyleType="none" aria-label="Layers that are baked">
      {[...layers.entries()].reverse().map(([i, layer]) => (
        <Box
          as="li"
          key={layer.id}
          display="flex"
          alignItems="center"
          gap="2"
          py="0.5"
          opacity={live[i] === false ? 0.55 : 1}
        >
          <LayerMark index={i} small />
          <Text
            flex="1"
            minWidth="0"
            truncate
            title={`${tags[i]} ${layer.name}, ${i === 0 ? 'base' : layer.mode}`}
          >
            {layer.name}
          </Text>
          <Text
            color="quiet"
            fontFamily="mono"
            fontSize="12px"
            whiteSpace="nowrap"
            title="How much the layer counts in the range, where it counts most"
          >
            {live[i] === false ? (layer.muted ? 'muted' : 'not soloed') : countsText(compiled[i], range)}
          </Text>
        </Box>
      ))}
    </Box>
  );
});
