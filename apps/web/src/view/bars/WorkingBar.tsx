import { Box, Text } from '@chakra-ui/react';
import { useSession } from '../../editor/context.js';
import { ProgressBar } from '../../ui/ProgressBar.js';
import { BarButton, ViewBar } from './ViewBar.js';

/** Long work that is under way, how far it has come, and a way to give it up. */
export function WorkingBar() {
  const working = useSession((state) => state.working);
  if (!working) return null;
  return (
    <ViewBar top="3" left="3">
      <Text>{working.name}</Text>
      <Box display="flex" alignItems="center" gap="2" width="200px">
        <ProgressBar label={working.name} done={working.progress} />
      </Box>
      <BarButton onClick={working.cancel}>Cancel</BarButton>
    </ViewBar>
  );
}
