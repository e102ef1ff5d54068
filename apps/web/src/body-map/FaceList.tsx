import { Box, chakra, Text } from '@chakra-ui/react';
import { FACE_REGIONS, faceRegion, facesOf } from '@evlay/core/rig';
import { useMemo } from 'react';
import { perform } from '../commands/command.js';
import { pickFace } from '../commands/poses/face.js';
import { KeyMark } from '../controls/KeyMark.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import { FaceSlider } from './FaceSlider.js';

/** The face channels of the character as sliders, by the region of the face: those that are called as it is `wanted`. */
export function FaceList({ wanted }: { wanted: string }) {
  const rig = useProject((project) => project.rig);
  const regions = useMemo(() => {
    const found = facesOf(rig).map(({ name }, f) => ({ name, f, region: faceRegion(name) }));
    return FACE_REGIONS.map((region) => ({ region, own: found.filter((one) => one.region === region) }));
  }, [rig]);
  const matches = (name: string) => name.toLowerCase().includes(wanted.trim().toLowerCase());
  const shown = regions
    .map(({ region, own }) => ({ region, own: own.filter(({ name }) => matches(name)) }))
    .filter(({ own }) => own.length > 0);
  return (
    <Box flex="1" minHeight="0" overflowY="auto" tabIndex={0} role="group" aria-label="Face channels">
      {shown.length === 0 && <Text color="quiet">No face channel is called so.</Text>}
      {shown.map(({ region, own }) => (
        <Box key={region} as="section" aria-label={region}>
          <Text color="quiet" fontSize="12px" lineHeight="18px">
            {region}
          </Text>
          {own.map(({ name, f }) => (
            <FaceRow key={name} name={name} member={rig.joints.length + f} />
          ))}
        </Box>
      ))}
    </Box>
  );
}

function FaceRow({ name, member }: { name: string; member: number }) {
  const editor = useEditor();
  const picked = useSession((state) => state.faces.includes(name));
  return (
    <Box display="flex" alignItems="center" gap="2" height="24px" fontSize="12px">
      <chakra.button
        type="button"
        aria-pressed={picked}
        title={`${name}: click picks it, Shift more of them`}
        onClick={(event) => perform(editor, pickFace, { name, more: event.shiftKey })}
        flex="0 1 104px"
        height="24px"
        minWidth="0"
        textAlign="left"
        truncate
        cursor="pointer"
        px="1"
        borderRadius="l1"
        bg={picked ? 'raised' : undefined}
        fontWeight={picked ? '600' : '400'}
        _hover={{ bg: 'raised' }}
      >
        {name}
      </chakra.button>
      <FaceSlider name={name} member={member} />
      <Box width="12px" flex="none" textAlign="center">
        <KeyMark joint={member} channel="m" name={name} />
      </Box>
    </Box>
  );
}
