import { Box, Text } from '@chakra-ui/react';
import type { Ref } from 'react';
import { useSeen, useSession } from '../../editor/context.js';

/** The name of the joint that has the handles, and by how much a drag misses its place and why. */
export function JointTag({ ref }: { ref: Ref<HTMLDivElement> }) {
  // While the joint is dragged its name would lie over what is looked at; how far it misses is said all the same.
  const away = useSession((state) => state.playing || (state.handling && !state.missed));
  const joint = useSession((state) => state.picked.at(-1));
  const name = useSeen((project) => (joint === undefined ? undefined : project.rig.joints[joint]?.name));
  if (name === undefined || away) return null;
  return (
    <Box ref={ref} position="absolute" top="0" left="0" pointerEvents="none" data-joint={name}>
      <Text
        position="absolute"
        left="14px"
        top="-34px"
        px="1.5"
        borderRadius="l1"
        bg="panel/80"
        whiteSpace="nowrap"
      >
        {name}
        <Missed />
      </Text>
    </Box>
  );
}

/** Changes with every move of a drag that misses: nothing else renders with it. */
function Missed() {
  const missed = useSession((state) => state.missed);
  const metresPerUnit = useSeen((project) => project.metresPerUnit);
  if (!missed) return null;
  return (
    <Text as="span" color="alarm">
      {` · ${(100 * missed.by * metresPerUnit).toFixed(1)} cm short: `}
      {missed.tooFar ? 'it reaches no further' : 'the layer counts too little here'}
    </Text>
  );
}
