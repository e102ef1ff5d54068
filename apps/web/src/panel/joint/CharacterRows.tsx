import { Box } from '@chakra-ui/react';
import { AT_ORIGIN, type Character, type Stand } from '@evlay/core';
import { rigHeight } from '@evlay/core/rig';
import { Archive, Trash2, UserPlus } from 'lucide-react';
import { useRef } from 'react';
import { perform } from '../../commands/command.js';
import { keepCharacter } from '../../commands/kits/locker.js';
import {
  addTheCharacter,
  lightCharacter,
  removeTheCharacter,
  renameTheCharacter,
  standTheCharacter,
} from '../../commands/scene/characters.js';
import { keepTheTouching } from '../../commands/scene/contacts.js';
import { CommandButton, CommandChoice } from '../../controls/CommandButton.js';
import { DragNumber } from '../../controls/DragNumber.js';
import { ANGLE_UNITS, lengthUnits } from '../../controls/units.js';
import { castOf } from '../../editor/cast.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { NameField } from '../../ui/NameField.js';
import { Row } from '../../ui/Row.js';
import { ToolButton } from '../../ui/ToolButton.js';

/** All characters of the scene, what adds one, and where the lit one stands. */
export function CharacterRows() {
  const editor = useEditor();
  const { characters } = useProject((project) => project.scene);
  const lit = useSession((state) => state.character);
  const input = useRef<HTMLInputElement>(null);
  const casts = characters.map((_, k) => castOf(editor.history.project(), k));
  const character = characters[lit];
  return (
    <>
      <Row label="scene">
        <Box display="flex" flexWrap="wrap" gap="1" alignItems="center">
          {casts.map(({ name, index }) => (
            <CommandChoice key={index} command={lightCharacter} arg={index} on={index === lit}>
              {name}
            </CommandChoice>
          ))}
          <ToolButton
            label="Add a character from a file"
            icon={UserPlus}
            onClick={() => input.current?.click()}
          />
          <CommandButton command={keepCharacter} arg={lit} icon={Archive} />
          <input
            ref={input}
            type="file"
            accept=".glb,.gltf,.vrm,.bvh,.zip"
            multiple
            hidden
            aria-label="Add a character from a file"
            onChange={(event) => {
              const files = [...(event.target.files ?? [])];
              if (files.length > 0)
                perform(editor, addTheCharacter, {
                  files: files.map((file) => ({ path: file.name, file })),
                });
              event.target.value = '';
            }}
          />
        </Box>
      </Row>
      {characters.length > 1 && character && <CharacterBlock character={character} index={lit} />}
      {characters.length > 1 && (
        <Row label="touching">
          <CommandChoice
            command={keepTheTouching}
            arg={undefined}
            on={false}
            title="Finds where hands and feet stay on others and on props, and keeps them there with a layer"
          >
            keep what touches others
          </CommandChoice>
        </Row>
      )}
    </>
  );
}

/** What the lit character is called, and where one that came later stands. */
function CharacterBlock({ character, index }: { character: Character; index: number }) {
  const editor = useEditor();
  const { name } = castOf(editor.history.project(), index);
  return (
    <Box as="section" aria-label={`Character ${name}`} display="flex" flexDirection="column" gap="1">
      <Row label="called">
        <NameField
          label="Name of the character"
          name={name}
          onRename={(to) => perform(editor, renameTheCharacter, { character: index, name: to })}
          flex="1"
          minWidth="0"
        />
        {index > 0 && (
          <CommandButton
            command={removeTheCharacter}
            arg={index}
            label={`Take ${name} out of the scene`}
            icon={Trash2}
          />
        )}
      </Row>
      {index > 0 && <StandRows character={character} index={index} />}
    </Box>
  );
}

/** How a number of a stand is dragged. */
interface Kind {
  readonly step?: number;
  readonly decimals?: number;
  readonly min?: number;
  readonly units?: Readonly<Record<string, number>>;
}

const AXES = ['x', 'y', 'z'] as const;

/** The frame of a character: place, heading and size. */
function StandRows({ character, index }: { character: Character; index: number }) {
  const metresPerUnit = useProject((project) => project.metresPerUnit);
  const { name, rig, stand = AT_ORIGIN } = character;
  const step = 10 ** Math.floor(Math.log10(((rigHeight(rig) || 1) * stand.scale) / 200));
  const decimals = Math.max(0, Math.min(4, Math.ceil(-Math.log10(step))));
  const number = (label: string, read: number, kind: Kind, to: (value: number) => Partial<Stand>) => (
    <DragNumber
      key={label}
      label={`${name}, ${label}`}
      read={() => read}
      step={step}
      decimals={decimals}
      width="60px"
      {...kind}
      command={standTheCharacter}
      to={(value: number) => ({ character: index, stand: to(value) })}
    />
  );
  return (
    <>
      <Row label="stands at">
        {AXES.map((axis, k) =>
          number(axis, stand.at[k], { units: lengthUnits(metresPerUnit) }, (value) => ({
            at: stand.at.with(k, value) as unknown as Stand['at'],
          })),
        )}
      </Row>
      <Row label="heading">
        {number('heading', stand.heading, { step: 0.5, decimals: 1, units: ANGLE_UNITS }, (heading) => ({
          heading,
        }))}
        <span>size</span>
        {number('size', stand.scale, { step: 0.01, decimals: 2, min: 0.001 }, (scale) => ({
          scale: Math.max(0.001, scale),
        }))}
      </Row>
    </>
  );
}
