import { Box, Text } from '@chakra-ui/react';
import { useProject, useSession } from '../../editor/context.js';
import { PartRow } from '../layer/PartRow.js';
import { TouchUpRows } from '../timing/TouchUpRows.js';
import { CharacterRows } from './CharacterRows.js';
import { CurlRows } from './CurlRows.js';
import { FindJoint } from './FindJoint.js';
import { HandleRows } from './HandleRows.js';
import { JointNumbers } from './JointNumbers.js';
import { LimbList, LimbRow } from './LimbRow.js';
import { PickRows } from './PickRows.js';
import { BetweenRow, PropList, PropRows } from './PropRows.js';
import { SnapRow, StayRow } from './StayRow.js';
import { StretchRow } from './StretchRow.js';

/** What is picked: how it is picked and handled, and every channel of it as a number. */
export function JointPanel() {
  const picked = useSession((state) => state.picked);
  const rig = useProject((project) => project.rig);
  const faces = useSession((state) => state.faces);
  const names = [...picked.flatMap((j) => rig.joints[j]?.name ?? []), ...faces];
  return (
    <Box
      as="section"
      aria-label="Picked joints"
      px="3"
      py="2"
      display="flex"
      flexDirection="column"
      gap="1.5"
    >
      <Box display="flex" alignItems="center" gap="2">
        <Text fontWeight="600" truncate flex="1" title={names.join(', ')}>
          {names.length === 0
            ? 'No joint is picked'
            : names.length === 1
              ? names[0]
              : `${names.at(-1)} and ${names.length - 1} more`}
        </Text>
        <FindJoint />
      </Box>
      <PickRows />
      {names.length === 0 ? (
        <>
          <Text color="quiet">
            Click a joint in the view, a part on the body map, or find one by name. A double click picks its
            limb.
          </Text>
          <CharacterRows />
          <LimbList />
          <PropList />
        </>
      ) : (
        <>
          {picked.length > 0 && (
            <>
              <HandleRows />
              <StayRow />
              <SnapRow />
              {picked.length === 2 && <BetweenRow />}
              <PropRows />
            </>
          )}
          <JointNumbers />
          {picked.length > 0 && (
            <>
              <StretchRow />
              <CurlRows />
              <LimbRow />
              <PartRow />
            </>
          )}
        </>
      )}
      <TouchUpRows />
    </Box>
  );
}
