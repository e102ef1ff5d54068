import { Box, Text } from '@chakra-ui/react';
import { layerById, layerIndex } from '@evlay/core';
import { LayerMark } from '../../controls/LayerMark.js';
import { useSeen, useSession } from '../../editor/context.js';

/** Which layer receives keys, in the corner of the view. */
export function LitTag() {
  const lit = useSession((state) => state.lit);
  const index = useSeen((project) => layerIndex(project, lit));
  const name = useSeen((project) => layerById(project, lit)?.name);
  if (name === undefined) return null;
  return (
    <Box
      position="absolute"
      left="3"
      top="3"
      maxWidth="220px"
      display="flex"
      alignItems="center"
      gap="1.5"
      pointerEvents="none"
      title="The layer that receives keys"
    >
      <LayerMark index={index} small />
      <Text truncate color="quiet" fontSize="12px">
        {name}
      </Text>
    </Box>
  );
}
