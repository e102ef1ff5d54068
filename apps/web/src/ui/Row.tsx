import { Box, Text } from '@chakra-ui/react';

/** A line of the layer's panel: what it is, and its values. */
export function Row({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <Box display="flex" alignItems="center" gap="1" minHeight="24px">
      <Text color="quiet" width="56px" flex="none" whiteSpace="nowrap">
        {label}
      </Text>
      {children}
    </Box>
  );
}
