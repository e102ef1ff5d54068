import { Box, Text } from '@chakra-ui/react';
import { contactsOf, type HeldContacts, type HeldLimb, type Layer } from '@evlay/core';
import { compiledLimbs, partLabel } from '@evlay/core/rig';
import { Trash2 } from 'lucide-react';
import { perform } from '../../commands/command.js';
import { changeHeld, easeTheContacts, findAnew, standTheContacts } from '../../commands/scene/contacts.js';
import { CommandButton, CommandChoice } from '../../controls/CommandButton.js';
import { DragNumber } from '../../controls/DragNumber.js';
import { frameUnits } from '../../controls/units.js';
import { useEditor, useProject } from '../../editor/context.js';
import { Fold } from '../../ui/Fold.js';
import { Row } from '../../ui/Row.js';
import { Select } from '../../ui/Select.js';
import { MovedAbove, SpaceChoice } from '../joint/SpaceChoice.js';
import { GoOnRow } from './GoOnRow.js';

const words = partLabel;

/** What a layer holds of contacts: how it comes and goes, whether the hips help, and how each limb stands. */
export function HeldRows({ layer }: { layer: Layer }) {
  const editor = useEditor();
  const fps = useProject((project) => project.fps);
  const held = contactsOf(layer);
  if (!held) return null;
  const to = (change: (held: HeldContacts) => HeldContacts) => ({ layer: layer.id, change });
  return (
    <>
      <Row label="comes in">
        <DragNumber
          label="Frames over which a correction comes and goes"
          read={() => held.fade}
          step={0.1}
          decimals={0}
          min={0}
          units={frameUnits(fps)}
          width="48px"
          command={changeHeld}
          to={(value) => to((one) => ({ ...one, fade: Math.max(0, Math.round(value)) }))}
        />
        <Text color="quiet" flex="1">
          frames
        </Text>
        <CommandChoice command={easeTheContacts} arg={layer.id} on={false} title={easeTheContacts.name}>
          softly
        </CommandChoice>
        <CommandChoice
          command={changeHeld}
          arg={to((one) => ({ ...one, hips: !one.hips }))}
          on={held.hips}
          title="The root goes down where a leg would be too short"
        >
          hips help
        </CommandChoice>
      </Row>
      <Row label="stands">
        <CommandChoice
          command={findAnew}
          arg={layer.id}
          on={false}
          title="When feet stand, and on what, is found in what plays below now"
        >
          find anew
        </CommandChoice>
        <Text color="quiet">on</Text>
        <SpaceChoice
          label="On what the limbs stand"
          value={held.space}
          world="the floor"
          onChoose={(space) => perform(editor, standTheContacts, { layer: layer.id, space })}
        />
      </Row>
      <MovedAbove layer={layer.id} space={held.space} />
      <TurnRow layer={layer} held={held} />
      <GoOnRow layer={layer} />
      {Object.entries(held.limbs).map(([name, limb]) => (
        <LimbHeld key={name} layer={layer.id} name={name} limb={limb} />
      ))}
    </>
  );
}

/** Whether feet turn back to what they were before layers turned them, how far, and as in which layer below. */
function TurnRow({ layer, held }: { layer: Layer; held: HeldContacts }) {
  const editor = useEditor();
  const layers = useProject((project) => project.layers);
  const to = (values: Partial<HeldContacts>) => ({
    layer: layer.id,
    change: ({ turn, like, ...one }: HeldContacts) => ({ ...one, turn, like, ...values }),
  });
  const on = held.turn !== undefined;
  const below = layers.slice(
    0,
    layers.findIndex(({ id }) => id === layer.id),
  );
  return (
    <Row label="turn back">
      <CommandChoice
        command={changeHeld}
        arg={to({ turn: on ? undefined : 1, like: undefined })}
        on={on}
        title="While they stand, feet roll and turn as in the layer named, whatever leans above it"
      >
        roll as in
      </CommandChoice>
      {on && (
        <Select
          label="Layer as in which the feet turn"
          value={held.like ?? ''}
          onChoose={(id) => perform(editor, changeHeld, to({ like: id === '' ? undefined : id }))}
        >
          <option value="">the lowest layer</option>
          {below.map(({ id, name }) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
        </Select>
      )}
      {on && typeof held.turn === 'number' && (
        <DragNumber
          label="How far the feet turn back, percent"
          read={() => (held.turn as number) * 100}
          step={1}
          decimals={0}
          min={0}
          max={100}
          width="36px"
          command={changeHeld}
          to={(value) => to({ turn: value / 100 })}
        />
      )}
      {on && typeof held.turn === 'number' && <Text color="quiet">%</Text>}
    </Row>
  );
}

function LimbHeld({ layer, name, limb }: { layer: string; name: string; limb: HeldLimb }) {
  const metresPerUnit = useProject((project) => project.metresPerUnit);
  const known = useProject((project) =>
    compiledLimbs(project.rig, project.limbs).some((one) => one.name === name),
  );
  const put = (p: number, floor: number) => ({
    layer,
    change: (held: HeldContacts) => ({
      ...held,
      limbs: {
        ...held.limbs,
        [name]: {
          ...held.limbs[name],
          points: held.limbs[name].points.map((one, k) => (k === p ? { ...one, floor } : one)),
        },
      },
    }),
  });
  const without = {
    layer,
    change: (held: HeldContacts) => ({
      ...held,
      limbs: Object.fromEntries(Object.entries(held.limbs).filter(([one]) => one !== name)),
    }),
  };
  const count = limb.spans.length;
  return (
    <Fold
      name={words(name)}
      what={known ? `${count} ${count === 1 ? 'contact' : 'contacts'}` : 'is no limb any more'}
    >
      {limb.points.map((point, p) => (
        <Row key={`${point.joint} ${point.end}`} label={p === 0 ? 'stands' : ''}>
          <Text truncate flex="1" title={point.joint}>
            {point.joint}
            {point.end !== undefined && ', its end'}
          </Text>
          <DragNumber
            label={`Height at which ${point.joint}${point.end === undefined ? '' : ' end'} stands, centimetres`}
            read={() => point.floor * metresPerUnit * 100}
            step={0.1}
            decimals={1}
            units={{ cm: 1, m: 100 }}
            width="52px"
            command={changeHeld}
            to={(value) => put(p, value / metresPerUnit / 100)}
          />
          <Text color="quiet">cm up</Text>
        </Row>
      ))}
      <Row label="">
        <Box flex="1" />
        <CommandButton
          command={changeHeld}
          arg={without}
          label={`Leave the ${words(name)} out`}
          icon={Trash2}
        />
      </Row>
    </Fold>
  );
}
