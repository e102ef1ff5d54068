import { Box, Text } from '@chakra-ui/react';
import { X } from 'lucide-react';
import { useEffect, useState } from 'react';
import { perform } from '../../commands/command.js';
import { changeReference, removeReference } from '../../commands/view/comparing.js';
import { CommandButton } from '../../controls/CommandButton.js';
import { LocalNumber } from '../../controls/DragNumber.js';
import { useEditor, useFirst } from '../../editor/context.js';
import type { Reference } from '../../editor/session.js';
import { bytesText } from '../../ui/bytes-text.js';
import { Choice } from '../../ui/Choice.js';
import { Select } from '../../ui/Select.js';

const PLACES = { box: 'in a box', over: 'over the view', plate: 'plate of the camera' };
/** How strongly a reference is seen in each place, where nobody says. */
const USUAL = { box: 1, over: 0.5, plate: 1 };

/** How a reference is shown: where, how strongly, which of its seconds, how fast, and whether it goes along in the project file. */
export function ReferenceRows({ reference }: { reference: Reference }) {
  const editor = useEditor();
  const first = useFirst();
  const length = useLength(reference);
  const { id, name, kind, place, opacity, speed, size, inFile } = reference;
  const set = (values: Partial<Reference>) => perform(editor, changeReference, { id, values });
  return (
    <Box
      role="group"
      aria-label={name}
      bg="raised"
      borderRadius="l1"
      px="2"
      py="1"
      display="flex"
      flexDirection="column"
      gap="1"
    >
      <Box display="flex" alignItems="center">
        <Text truncate flex="1" title={name} fontWeight="600">
          {name}
        </Text>
        <CommandButton command={removeReference} arg={id} label={`Take ${name} away`} icon={X} />
      </Box>
      {kind === 'video' && (
        <>
          <Box display="flex" alignItems="center" gap="1">
            <Text color="quiet">starts at</Text>
            <LocalNumber
              label={`Frame at which ${name} starts`}
              read={() => reference.offset}
              step={0.5}
              decimals={0}
              origin={first}
              width="40px"
              onChange={(value) => set({ offset: Math.round(value) })}
            />
            <Text color="quiet">at</Text>
            <LocalNumber
              label={`Speed of ${name}`}
              read={() => speed}
              min={0.05}
              max={16}
              step={0.01}
              decimals={2}
              width="40px"
              onChange={(value) => set({ speed: Math.min(16, Math.max(0.05, value)) })}
            />
            <Text color="quiet">times</Text>
          </Box>
          <Box display="flex" alignItems="center" gap="1">
            <Text color="quiet">shows</Text>
            <LocalNumber
              label={`First second of ${name}`}
              read={() => reference.from}
              min={0}
              step={0.02}
              decimals={2}
              width="44px"
              onChange={(value) => set({ from: value })}
            />
            <Text color="quiet">to</Text>
            <LocalNumber
              label={`Last second of ${name}`}
              read={() => reference.to ?? length}
              min={reference.from}
              step={0.02}
              decimals={2}
              width="44px"
              onChange={(value) => set({ to: value })}
            />
            <Text color="quiet">s</Text>
          </Box>
        </>
      )}
      <Box display="flex" alignItems="center" gap="1">
        <Select
          label={`Where ${name} is seen`}
          value={place}
          onChoose={(to) =>
            set({ place: to as Reference['place'], opacity: USUAL[to as Reference['place']] })
          }
        >
          {Object.entries(PLACES).map(([one, words]) => (
            <option key={one} value={one}>
              {words}
            </option>
          ))}
        </Select>
        {place !== 'box' && (
          <LocalNumber
            label={`How strongly ${name} is seen`}
            read={() => opacity}
            min={0.05}
            max={1}
            step={0.01}
            decimals={2}
            width="40px"
            onChange={(value) => set({ opacity: Math.min(1, Math.max(0.05, value)) })}
          />
        )}
      </Box>
      <Box display="flex" alignItems="center" gap="1">
        <Choice
          on={inFile}
          title="Whether it goes along when the project is exported; this browser keeps it in any case"
          onClick={() => set({ inFile: !inFile })}
        >
          in the project file
        </Choice>
        <Text color="quiet">{bytesText(size)}</Text>
      </Box>
    </Box>
  );
}

/** The seconds of a video; 0 until they are known. */
function useLength({ kind, url }: Reference): number {
  const [length, setLength] = useState(0);
  useEffect(() => {
    if (kind !== 'video') return;
    const video = document.createElement('video');
    video.preload = 'metadata';
    video.onloadedmetadata = () => setLength(Number.isFinite(video.duration) ? video.duration : 0);
    video.src = url;
    return () => video.removeAttribute('src');
  }, [kind, url]);
  return length;
}
