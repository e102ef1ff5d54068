import { Box, chakra } from '@chakra-ui/react';
import { useShallow } from 'zustand/react/shallow';
import { perform } from '../../commands/command.js';
import { lightCharacter } from '../../commands/scene/characters.js';
import { RestPicture } from '../../controls/FigureStrip.js';
import { castOf } from '../../editor/cast.js';
import { useEditor, useSeen, useSession } from '../../editor/context.js';

/** The characters of the scene, where there are several, at the upper edge of the view: the lit one is that which is worked with. */
export function CharacterChips() {
  const editor = useEditor();
  const lit = useSession((state) => state.character);
  const casts = useSeen(
    useShallow((project) => project.scene.characters.map((_, k) => `${k} ${castOf(project, k).name}`)),
  );
  const rigs = useSeen(useShallow((project) => project.scene.characters.map(({ rig }) => rig)));
  const previewing = useSession((state) => state.previewing);
  if (casts.length < 2 || previewing) return null;
  return (
    <Box
      position="absolute"
      top="2"
      left="50%"
      transform="translateX(-50%)"
      zIndex="1"
      display="flex"
      gap="1.5"
      maxWidth="46%"
      overflowX="auto"
      role="group"
      aria-label="Characters"
    >
      {casts.map((text, k) => {
        const name = text.slice(text.indexOf(' ') + 1);
        const on = k === lit;
        return (
          <chakra.button
            key={text}
            type="button"
            display="flex"
            alignItems="center"
            gap="1"
            flex="none"
            maxWidth="160px"
            height="30px"
            pl="1"
            pr="2.5"
            bg={on ? 'raised' : 'panel'}
            borderWidth="1px"
            borderColor={on ? 'lamp' : 'line'}
            borderRadius="l2"
            boxShadow="float"
            cursor="pointer"
            color={on ? 'text' : 'quiet'}
            fontWeight={on ? '600' : '400'}
            aria-pressed={on}
            data-does={`Light ${name}: the map, the takes and the lanes are of this character`}
            onClick={() => perform(editor, lightCharacter, k)}
          >
            <RestPicture rig={rigs[k]} size={24} />
            <chakra.span truncate>{name}</chakra.span>
          </chakra.button>
        );
      })}
    </Box>
  );
}
