import { Box, chakra, Text } from '@chakra-ui/react';
import { useEffect } from 'react';
import { useNavigate } from 'react-router';
import type { Command } from '../commands/command.js';
import { LAYER_KEYS, PROJECT_KEYS, TRANSPORT_KEYS } from '../commands/keyed.js';
import { Header } from '../controls/Header.js';

const ORDER: readonly [step: string, how: string][] = [
  [
    'Bring in',
    'Drop a character (.glb, or .gltf with its files), a motion capture (.bvh) or a project (.evlay) on Projects. Drop more captures on an open project: they come to Takes, fitted to the character.',
  ],
  [
    'Make takes',
    'On Takes, correct which joint follows which, trim, change the rate, the axis that points up or the scale; see when the feet stand. Then set a take as base or add it as a layer. What came in stays as it came.',
  ],
  [
    'Layer',
    'Add an additive layer to add to what is below, an override layer to replace it, a take layer to play another performance on top. Pick joints first to limit a layer to them.',
  ],
  [
    'Key',
    'Click the character, turn or move the joint by its handles. With auto key on, that sets keys at the playhead on the lit layer.',
  ],
  [
    'Weigh',
    'Drag in the lane to set how much the layer counts, drag a part on the body map to set it there, pull the feet of the shape for the span.',
  ],
  [
    'Time',
    'Shift the lit layer, change its speed, or loop it over its keys or over a cycle of your choice; a key in a loop shows again in every round.',
  ],
  [
    'Place',
    'Move and turn the whole performance of a take layer by its handle or by numbers, with keys if you want, or let it begin where another ends.',
  ],
  ['Compare', 'Mute, solo, and read down the cells which layer drives which part.'],
  [
    'Bake',
    'Write every frame out: onto the character’s own GLB file, in which everything else stays as it is, or as BVH, with the names, order and hierarchy of the joints as they came in.',
  ],
];

const KEYS: readonly Pick<Command, 'keys' | 'name'>[] = [
  ...TRANSPORT_KEYS,
  ...LAYER_KEYS,
  ...PROJECT_KEYS,
  { keys: '?', name: 'Open this page' },
];

/** The order of work, and all keys. */
export function Help() {
  const navigate = useNavigate();
  useEffect(() => {
    document.title = 'Help · Evlay';
  }, []);
  return (
    <Box height="100%" display="flex" flexDirection="column">
      <Header />
      <Box
        as="main"
        flex="1"
        overflowY="auto"
        px="8"
        py="6"
        maxWidth="820px"
        width="100%"
        mx="auto"
        tabIndex={0}
      >
        <Box display="flex" alignItems="center" mb="4">
          <chakra.h1 fontSize="22px" fontWeight="600" flex="1">
            Help
          </chakra.h1>
          <chakra.button type="button" onClick={() => navigate(-1)} color="lamp" cursor="pointer">
            Back
          </chakra.button>
        </Box>
        <chakra.h2 fontWeight="600" mb="2">
          The order of work
        </chakra.h2>
        <Box as="ol" mb="6">
          {ORDER.map(([step, how], k) => (
            <Box
              as="li"
              key={step}
              display="flex"
              gap="3"
              py="1.5"
              borderBottomWidth="1px"
              borderColor="line"
            >
              <Text color="quiet" fontFamily="mono" width="16px" flex="none">
                {k + 1}
              </Text>
              <Text fontWeight="600" width="90px" flex="none">
                {step}
              </Text>
              <Text>{how}</Text>
            </Box>
          ))}
        </Box>
        <chakra.h2 fontWeight="600" mb="2">
          Keys
        </chakra.h2>
        <Box as="dl">
          {KEYS.map(({ keys, name }) => (
            <Box key={name} display="flex" gap="3" py="1">
              <chakra.dt fontFamily="mono" width="190px" flex="none">
                {keys}
              </chakra.dt>
              <chakra.dd>{name}</chakra.dd>
            </Box>
          ))}
        </Box>
        <Text mt="5" color="quiet">
          On a number: drag sideways, finely with Shift; a double click types. A drag is taken back by Escape.
          On a lane: a double click adds a weight point, Alt scales the whole curve; Ctrl and the wheel zoom
          the time axis, Shift and the wheel move it.
        </Text>
      </Box>
    </Box>
  );
}
