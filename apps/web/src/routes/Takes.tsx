import { Box, chakra, Text } from '@chakra-ui/react';
import { baseOf, takeOf } from '@evlay/core';
import { takeById } from '@evlay/core/edit';
import { FILE_KINDS, openedEndings } from '@evlay/core/format';
import { useEffect, useRef, useState } from 'react';
import { TRANSPORT_SHORTCUTS } from '../commands/shortcuts.js';
import { ChooseFiles } from '../controls/ChooseFiles.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import { setDisplay, setPlayback, setPosing, setSelection } from '../editor/session.js';
import { Listen } from '../takes/Listen.js';
import { MatchTable } from '../takes/MatchTable.js';
import { LIST_WIDTH, TakeList } from '../takes/TakeList.js';
import { TakePanel } from '../takes/TakePanel.js';
import { TakeTime } from '../takes/TakeTime.js';
import { useSteps } from '../ui/use-steps.js';
import { View } from '../view/View.js';
import { Guarded } from './Guarded.js';
import { Shortcuts } from './Shortcuts.js';

/** The takes of the project: what they are, how they look on the character, what is done with them. */
export function Takes() {
  const { history, session, playhead, transport } = useEditor();
  const step = useSteps(2);
  const chosen = useSession((state) => state.take);
  const take = useProject((project) => takeById(project, chosen));
  const count = useProject((project) => project.takes.length);
  const first = useProject((project) => takeOf(baseOf(project))?.take ?? project.takes[0]?.id);
  const [matching, setMatching] = useState(false);

  // Where an undo took the chosen take away, another of the same source is chosen, or the source.
  const source = useRef<string>(undefined);
  useEffect(() => {
    if (take) source.current = take.made?.from ?? take.id;
    else {
      const { takes } = history.project();
      const near =
        takes.find(({ made }) => made && made.from === source.current) ??
        takes.find(({ id }) => id === source.current);
      setSelection(session, { take: near?.id ?? first });
    }
  }, [take, first, history, session]);
  // While this screen is open the take is seen alone; the frame comes back with the stack.
  useEffect(() => {
    const frame = playhead.get();
    setDisplay(session, { previewing: true });
    setPlayback(session, { playing: false });
    setSelection(session, { picked: [] });
    setPosing(session, { trial: undefined });
    playhead.set(0);
    return () => {
      setDisplay(session, { previewing: false });
      setPlayback(session, { playing: false });
      playhead.set(frame);
    };
  }, [session, playhead]);
  const previewing = useSession((state) => state.previewing);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another take is held to its own frames
  useEffect(() => transport.goTo(playhead.get()), [chosen, take?.count]);

  return (
    <Box as="main" flex="1" minHeight="0" display="flex">
      <Shortcuts commands={TRANSPORT_SHORTCUTS} />
      <Box
        width={`${LIST_WIDTH + 24}px`}
        maxWidth="33vw"
        flex="none"
        p="3"
        overflowY="auto"
        borderRightWidth="1px"
        borderColor="line"
      >
        <Box display="flex" alignItems="center" flexWrap="wrap" gap="1" mb="3">
          <chakra.h1 fontSize="18px" fontWeight="600">
            Takes
          </chakra.h1>
          <Box flex="1" />
          <Listen />
          <ChooseFiles
            label="Bring in"
            what="Takes to bring in"
            accept={openedEndings(FILE_KINDS.filter(({ id }) => id !== 'evlay'))}
            size="xs"
          />
        </Box>
        {count === 0 && (
          <Text color="quiet">
            Performances of this character belong here. Bring in a motion capture (.bvh) or a file with
            animations (.glb), or drop it anywhere.
          </Text>
        )}
        {step > 0 && (
          <Guarded name="The list of takes">
            <TakeList />
          </Guarded>
        )}
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
              <Guarded name="The matching">
                <MatchTable take={take} onClose={() => setMatching(false)} />
              </Guarded>
            ) : (
              <>
                <Box flex="1" minHeight="0">
                  {step > 1 && (
                    <Guarded name="The view">
                      <View />
                    </Guarded>
                  )}
                </Box>
                <Guarded name="The time of the take">
                  <TakeTime key={take.made?.from ?? take.id} take={take} />
                </Guarded>
              </>
            )}
          </Box>
          <Box
            width="330px"
            maxWidth="37vw"
            flex="none"
            bg="panel"
            borderLeftWidth="1px"
            borderColor="line"
            overflowY="auto"
          >
            <Guarded name="The panel of the take">
              <TakePanel take={take} onMatch={() => setMatching(true)} />
            </Guarded>
          </Box>
        </>
      )}
    </Box>
  );
}
