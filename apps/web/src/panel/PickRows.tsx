import { Box, chakra } from '@chakra-ui/react';
import { ArrowLeftRight, KeyRound, ListTree, Plus, Spline, UnfoldHorizontal, X } from 'lucide-react';
import { useId, useState } from 'react';
import { perform } from '../commands/command.js';
import {
  dropSet,
  keepPicked,
  pickBothSides,
  pickChildren,
  pickJoints,
  pickKeyed,
  pickLimb,
  pickOtherSide,
  pickSet,
} from '../commands/picking.js';
import { CommandButton, CommandChoice } from '../controls/CommandButton.js';
import { useEditor, useProject } from '../editor/context.js';
import { Row } from '../ui/Row.js';

/** Finds joints by name, goes from those that are picked to others, and keeps sets of them. */
export function PickRows() {
  const sets = useProject((project) => project.sets);
  const [naming, setNaming] = useState(false);
  return (
    <>
      <Row label="find">
        <Find />
      </Row>
      <Row label="pick">
        <CommandButton command={pickLimb} arg={undefined} icon={Spline} />
        <CommandButton command={pickChildren} arg={undefined} icon={ListTree} />
        <CommandButton command={pickOtherSide} arg={undefined} icon={ArrowLeftRight} />
        <CommandButton command={pickBothSides} arg={undefined} icon={UnfoldHorizontal} />
        <CommandButton command={pickKeyed} arg={undefined} icon={KeyRound} />
        <Box flex="1" />
        <chakra.button
          type="button"
          onClick={() => setNaming(true)}
          cursor="pointer"
          color="quiet"
          _hover={{ color: 'text' }}
          display="inline-flex"
          alignItems="center"
          gap="1"
          aria-label="Keep what is picked as a set"
        >
          <Plus size={13} aria-hidden /> set
        </chakra.button>
      </Row>
      {naming && <NewSet onDone={() => setNaming(false)} />}
      {sets.length > 0 && (
        <Row label="sets">
          <Box display="flex" flexWrap="wrap" gap="1">
            {sets.map(({ name }) => (
              <Box key={name} display="inline-flex" alignItems="center">
                <CommandChoice command={pickSet} arg={name} on={false}>
                  {name}
                </CommandChoice>
                <CommandButton command={dropSet} arg={name} label={`Delete the set ${name}`} icon={X} />
              </Box>
            ))}
          </Box>
        </Row>
      )}
    </>
  );
}

/** A field for the name of a new set: Enter keeps it, Escape does not. */
function NewSet({ onDone }: { onDone: () => void }) {
  const editor = useEditor();
  return (
    <Row label="name">
      <chakra.input
        aria-label="Name of the set"
        autoFocus
        placeholder="what is picked, as …"
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === 'Enter') perform(editor, keepPicked, event.currentTarget.value);
          if (event.key === 'Enter' || event.key === 'Escape') onDone();
        }}
        onBlur={onDone}
        flex="1"
        bg="ground"
        borderRadius="l1"
        px="2"
        height="22px"
      />
    </Row>
  );
}

/** As many joints are offered for what was typed. */
const OFFERED = 8;

/** A field that finds joints by a part of their name: Enter picks all that are offered, a click one of them. */
function Find() {
  const editor = useEditor();
  const rig = useProject((project) => project.rig);
  const [text, setText] = useState('');
  const list = useId();
  const wanted = text.trim().toLowerCase();
  const found = wanted
    ? rig.joints.flatMap(({ name }, j) => (name.toLowerCase().includes(wanted) ? [j] : []))
    : [];
  const pick = (joints: readonly number[]) => {
    if (joints.length > 0) perform(editor, pickJoints, joints);
    setText('');
  };
  return (
    <Box flex="1" position="relative">
      <chakra.input
        role="combobox"
        aria-label="Find a joint by name"
        aria-expanded={found.length > 0}
        aria-controls={list}
        placeholder="a part of a joint’s name"
        value={text}
        onChange={(event) => setText(event.target.value)}
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === 'Enter') pick(found);
          if (event.key === 'Escape') {
            setText('');
            event.currentTarget.blur();
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
          left="0"
          right="0"
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
                pick([j]);
              }}
            >
              {rig.joints[j].name}
            </Box>
          ))}
          <Box px="2" py="0.5" color="quiet" aria-hidden>
            Enter picks {found.length === 1 ? 'it' : `all ${found.length}`}
          </Box>
        </Box>
      )}
    </Box>
  );
}
