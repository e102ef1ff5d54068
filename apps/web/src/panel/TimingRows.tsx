import { chakra, Text } from '@chakra-ui/react';
import type { Layer } from '@evlay/core';
import { ChevronDown, ChevronRight } from 'lucide-react';
import { useState } from 'react';
import { FollowRows } from './FollowRows.js';
import { MirrorRow } from './MirrorRow.js';
import { NoiseRow } from './NoiseRow.js';
import { OverlapRows } from './OverlapRows.js';
import { RetimeRows } from './RetimeRows.js';

/** What is done with the timing of the lit layer's motion and with motion made by rule; folded away until it is wanted. */
export function TimingRows({ layer }: { layer: Layer }) {
  const [open, setOpen] = useState(false);
  const Icon = open ? ChevronDown : ChevronRight;
  return (
    <>
      <chakra.button
        type="button"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
        display="flex"
        alignItems="center"
        gap="1"
        mt="1"
        mx="-1"
        px="1"
        borderRadius="l1"
        cursor="pointer"
        fontWeight="600"
        _hover={{ bg: 'raised' }}
      >
        <Icon size={14} aria-hidden />
        Timing
        <Text as="span" color="quiet" fontWeight="400" fontSize="12px" truncate>
          overlap, noise, follow, mirror, retime
        </Text>
      </chakra.button>
      {open && (
        <>
          <OverlapRows layer={layer} />
          <NoiseRow />
          <FollowRows />
          <MirrorRow layer={layer} />
          <RetimeRows layer={layer} />
        </>
      )}
    </>
  );
}
