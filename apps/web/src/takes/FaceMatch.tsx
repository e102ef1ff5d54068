import { Box, chakra, Text } from '@chakra-ui/react';
import type { Take } from '@evlay/core';
import { sourceOf } from '@evlay/core/edit';
import { followedFace, matchFaces, NO_FACE, strangeFaces } from '@evlay/core/match';
import { facesOf } from '@evlay/core/rig';
import type { Mapping } from '@evlay/core/take';
import { useState } from 'react';
import { perform } from '../commands/command.js';
import { changeMaking } from '../commands/scene/takes.js';
import { CommandChoice } from '../controls/CommandButton.js';
import { useEditor, useProject } from '../editor/context.js';
import { Choice } from '../ui/Choice.js';
import { Row } from '../ui/Row.js';
import { useMadeId } from './making.js';

/** Some names, and how many there are beside them. */
const few = (names: readonly string[]): string =>
  names.length <= 4 ? names.join(', ') : `${names.slice(0, 3).join(', ')} and ${names.length - 3} more`;

/** What the face of a take and that of the character do not share, and which channel follows which. */
export function FaceMatch({ take }: { take: Take }) {
  const editor = useEditor();
  const project = useProject((current) => current);
  const [open, setOpen] = useState(false);
  const source = sourceOf(project, take);
  const madeId = useMadeId(take);
  const strange = strangeFaces(project.rig, source);
  const names = (source.faceCurves ?? []).map(({ channel }) => channel);
  if (names.length === 0 || (strange.ofTake.length === 0 && strange.ofRig.length === 0)) return null;
  const own = new Set(names);
  const faces = take.made?.faces;
  const wanted = (to: Mapping | undefined) => ({ take: take.id, steps: { faces: to }, made: madeId });
  const follow = (name: string, followed: string) => {
    const { [name]: _, ...others } = faces ?? {};
    perform(editor, changeMaking, wanted(followed === name ? others : { ...others, [name]: followed }));
  };
  return (
    <Box role="group" aria-label="Face of the take" display="flex" flexDirection="column" gap="1">
      {strange.ofTake.length > 0 && (
        <Text>
          The character has no {few(strange.ofTake)}: {strange.ofTake.length === 1 ? 'it is' : 'they are'}{' '}
          left out.
        </Text>
      )}
      {strange.ofRig.length > 0 && (
        <Text color="quiet">
          The take has no {few(strange.ofRig)}: {strange.ofRig.length === 1 ? 'it rests' : 'they rest'}.
        </Text>
      )}
      {facesOf(project.rig).length > 0 && (
        <Row label="face">
          <CommandChoice
            command={changeMaking}
            arg={wanted({ ...faces, ...matchFaces(project.rig, source) })}
            on={false}
            title="Channels whose names have the same words"
          >
            match by words
          </CommandChoice>
          <Choice on={open} title="Which channel follows which" onClick={() => setOpen(!open)}>
            match names …
          </Choice>
        </Row>
      )}
      {open && (
        <Box maxHeight="220px" overflowY="auto" tabIndex={0} role="group" aria-label="Match face channels">
          {facesOf(project.rig).map(({ name }) => (
            <Box key={name} display="flex" alignItems="center" gap="2" minHeight="24px">
              <Text flex="1" truncate title={name}>
                {name}
              </Text>
              <chakra.select
                aria-label={`${name} follows`}
                value={followedFace(name, own, faces) ?? NO_FACE}
                onChange={(event) => follow(name, event.target.value)}
                bg="panel"
                borderWidth="1px"
                borderColor="line"
                borderRadius="l1"
                height="22px"
                width="140px"
              >
                <option value={NO_FACE}>none: rests</option>
                {names.map((one) => (
                  <option key={one} value={one}>
                    {one}
                  </option>
                ))}
              </chakra.select>
            </Box>
          ))}
        </Box>
      )}
    </Box>
  );
}
