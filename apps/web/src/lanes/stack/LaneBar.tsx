import { Box, type BoxProps } from '@chakra-ui/react';

/** A bar between the time axis and the lanes; the playhead stays behind it. */
export const LaneBar = (props: BoxProps) => (
  <Box
    display="flex"
    alignItems="center"
    gap="1"
    height="30px"
    flex="none"
    position="relative"
    zIndex="2"
    bg="panel"
    px="2"
    borderBottomWidth="1px"
    borderColor="line"
    {...props}
  />
);
