import { Box } from '@chakra-ui/react';
import type { RefObject } from 'react';

/** Says in the view by how much a target is missed; it is written and placed from the scene. */
export const GapTag = ({ ref }: { ref: RefObject<HTMLDivElement | null> }) => (
  <Box position="absolute" left="0" top="0" pointerEvents="none">
    <Box
      ref={ref}
      hidden
      position="absolute"
      whiteSpace="nowrap"
      ml="4"
      mt="-3"
      px="1.5"
      borderRadius="l1"
      bg="panel"
      color="alarm"
      fontSize="12px"
      data-gap
    />
  </Box>
);
