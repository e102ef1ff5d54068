import { Box, Button, Text } from '@chakra-ui/react';
import { dropTrial, keyTrial } from '../state/actions.js';
import { useSession } from '../state/session-store.js';

/** Says that the pose that is seen is not keyed, and offers to key or drop it. */
export function TrialBar() {
  const trial = useSession((state) => state.trial);
  const autoKey = useSession((state) => state.autoKey);
  if (!trial || autoKey) return null;
  return (
    <Box
      position="absolute"
      bottom="3"
      right="3"
      display="flex"
      alignItems="center"
      gap="2"
      bg="panel"
      borderWidth="1px"
      borderColor="lamp"
      borderRadius="l2"
      px="3"
      py="1.5"
      role="status"
    >
      <Text>Tried, not keyed</Text>
      <Button size="2xs" bg="lamp" color="onLamp" onClick={keyTrial} title="Key it (Enter)">
        Key
      </Button>
      <Button
        size="2xs"
        variant="outline"
        borderColor="line"
        color="text"
        onClick={dropTrial}
        title="Drop it (Escape)"
      >
        Drop
      </Button>
    </Box>
  );
}
