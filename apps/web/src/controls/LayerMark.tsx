import { Box } from '@chakra-ui/react';
import { layerTags } from '@evlay/core';
import { useProject } from '../editor/context.js';
import { readableOn } from '../ui/color.js';

/** A layer's colour with its one or two letters; the base has no colour of its own. */
export function LayerMark({ index, small }: { index: number; small?: boolean }) {
  const color = useProject((project) => project.layers[index]?.color);
  const tag = useProject((project) => layerTags(project.layers)[index]);
  return <LayerTag color={color} tag={tag} small={small} />;
}

/** A colour with letters on it. */
export function LayerTag({ color, tag, small }: { color?: string; tag: string; small?: boolean }) {
  const size = small ? '16px' : '20px';
  return (
    <Box
      aria-hidden
      flex="none"
      width={small ? '20px' : '22px'}
      height={size}
      lineHeight={size}
      borderRadius="4px"
      textAlign="center"
      fontSize={small ? '10px' : '11px'}
      fontWeight="700"
      bg={color ?? 'raised'}
      color={color ? readableOn(color) : 'quiet'}
      borderWidth={color ? 0 : '1px'}
      borderColor="line"
    >
      {tag}
    </Box>
  );
}
