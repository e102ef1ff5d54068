import { Box, chakra, Text } from '@chakra-ui/react';
import { takeById } from '@evlay/core/edit';
import { useEffect, useRef, useState } from 'react';
import { goTo, playhead } from '../state/playhead.js';
import { currentProject, useProject } from '../state/project-store.js';
import { setSession, useSession } from '../state/session-store.js';
import { MatchTable } from '../takes/MatchTable.js';
import { LIST_WIDTH, TakeList } from '../takes/TakeList.js';
import { TakePanel } from '../takes/TakePanel.js';
import { TakeTime } from '../takes/TakeTime.js';
import { ChooseFiles } from '../ui/ChooseFiles.js';
import { useSteps } from '../ui/use-steps.js';
import { View } from '../view/View.js';
import { useTransportKeys } from './layer-keys.js';

/** The takes of the project: what they are, how they look on the character, what is done with them. */
export function Takes() {
  useTransportKeys();
  const step = useSteps(2);
  const chosen = useSession((state) => state.take);
  const take = useProject((project) => takeById(project, chosen));
  const count = useProject((project) => project.takes.length);
  const first = useProject((project) => project.layers[0].take?.id ?? project.takes[0]?.id);
  const [matching, setMatching] = useState(false);

  // Where an undo took the chosen take away, another of the same source is chosen, or the source.
  const source = useRef<string>(undefined);
  useEffect(() => {
    if (take) source.current = take.made?.from ?? take.id;
    else {
      const { takes } = currentProject();
      const near =
        takes.find(({ made }) => made && made.from === source.current) ??
        takes.find(({ id }) => id === source.current);
      setSession({ take: near?.id ?? first });
    }
  }, [take, first]);
  // While this screen is open the take is seen alone; the frame comes back with the stack.
  useEffect(() => {
    const frame = playhead.get();
    setSession({ previewing: true, playing: false, picked: [], trial: undefined });
    playhead.set(0);
    return () => {
      setSession({ previewing: false, playing: false });
      playhead.set(frame);
    };
  }, []);
  const previewing = useSession((state) => state.previewing);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another take is held to its own frames
  useEffect(() => goTo(playhead.get()), [chosen, take?.count]);

  return (
    <Box as="main" flex="1" minHeight="0" display="flex">
      <Box
        width={`${LIST_WIDTH + 24}px`}
        flex="none"
        p="3"
        overflowY="auto"
        borderRightWidth="1px"
        borderColor="line"
      >
        <Box display="flex" alignItems="center" mb="3">
          <chakra.h1 fontSize="18px" fontWeight="600">
            Takes
          </chakra.h1>
          <Box flex="1" />
          <ChooseFiles
            label="Bring in"
            what="Takes to bring in"
            accept=".bvh,.glb,.gltf,.zip,.bin"
            size="xs"
          />
        </Box>
        {count === 0 && (
          <Text color="quiet">
            Performances of this character belong here. Bring in a motion capture (.bvh) or a file with
            animations (.glb), or drop it anywhere.
          </Text>
        )}
        {step > 0 && <TakeList />}
      </Box>
      {!take && step > 1 && (
        <Box flex="1" minWidth="0">
          <View />
        </Box>
      )}
      {take && previewing && (
        <>
          <Box flex="1" minWidth="0" display="flex" flexDirection="column">
            {matching ? (
              <MatchTable take={take} onClose={() => setMatching(false)} />
            ) : (
              <>
                <Box flex="1" minHeight="0">
                  {step > 1 && <View />}
                </Box>
                <TakeTime key={take.made?.from ?? take.id} take={take} />
              </>
            )}
          </Box>
          <Box width="330px" flex="none" bg="panel" borderLeftWidth="1px" borderColor="line" overflowY="auto">
            <TakePanel take={take} onMatch={() => setMatching(true)} />
          </Box>
        </>
      )}
    </Box>
  );
}
