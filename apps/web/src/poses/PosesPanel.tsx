import { Box, Text } from '@chakra-ui/react';
import { PoseBook } from './PoseBook.js';
import { PoseTools } from './PoseTools.js';

/** Poses on their way: copied and pasted, in between, and the pose book. */
export const PosesPanel = () => (
  <Box as="section" aria-label="Poses" px="3" py="2" display="flex" flexDirection="column" gap="1.5">
    <PoseTools />
    <Text fontWeight="600" mt="1">
      Pose book
    </Text>
    <PoseBook />
  </Box>
);
