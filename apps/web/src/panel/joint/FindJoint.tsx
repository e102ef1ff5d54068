import { Box, chakra } from '@chakra-ui/react';
import { useId, useRef, useState } from 'react';
import { perform } from '../../commands/command.js';
import { pickJoints } from '../../commands/poses/picking.js';
import { useEditor, useProject } from '../../editor/context.js';

/** As many joints are offered for what was typed. */
const OFFERED = 8;

/** A field that finds joints by a part of their name: Enter picks all that are offered, a click one of them, Shift adds. */
export function FindJoint() {
  const editor = useEditor();
  const rig = useProject((project) => project.rig);
  const [text, setText] = useState('');
  const list = useId();
  const field = useRef<HTMLInputElement>(null);
  const wanted = text.trim().toLowerCase();
  const found = wanted
    ? rig.joints.flatMap(({ name }, j) => (name.toLowerCase().includes(wanted) ? [j] : []))
    : [];
  const pick = (joints: readonly number[], adds: boolean) => {
    const before = adds ? editor.session.getState().picked.filter((j) => !joints.includes(j)) : [];
    if (joints.length > 0) perform(editor, pickJoints, [...before, ...joints]);
    setText('');
    // Keys belong to the screen again.
    field.current?.blur();
  };
  return (
    <Box flex="0 1 130px" position="relative">
      <chakra.input
        ref={field}
        role="combobox"
        aria-label="Find a joint by name"
        aria-expanded={found.length > 0}
        aria-controls={list}
        placeholder="find a joint"
        value={text}
        onChange={(event) => setText(event.target.value)}
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === 'Enter') pick(found, event.shiftKey);
          if (event.key === 'Escape') {
            setText('');
            field.current?.blur();
          }
        }}
        width="100%"
        bg="ground"
        borderRadius="l1"
        px="2"
        height="22px"
      />
      {found.length > 0 && (
        <Box
          id={list}
          role="listbox"
          aria-label="Joints found"
          position="absolute"
          zIndex="5"
          top="24px"
          right="0"
          minWidth="180px"
          bg="raised"
          borderWidth="1px"
          borderColor="line"
          borderRadius="l1"
          boxShadow="md"
        >
          {found.slice(0, OFFERED).map((j) => (
            <Box
              key={j}
              role="option"
              aria-selected={false}
              px="2"
              py="0.5"
              cursor="pointer"
              _hover={{ bg: 'panel' }}
              onPointerDown={(event) => {
                event.preventDefault();
                pick([j], event.shiftKey);
              }}
            >
              {rig.joints[j].name}
            </Box>
          ))}
          <Box px="2" py="0.5" color="quiet" aria-hidden>
            Enter picks {found.length === 1 ? 'it' : `all ${found.length}`}, Shift adds
          </Box>
        </Box>
      )}
    </Box>
  );
}
