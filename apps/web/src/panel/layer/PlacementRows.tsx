import { chakra, Text } from '@chakra-ui/react';
import { baseOf, isCurve, type Layer, PLACEMENT_CHANNELS, type PlacementChannel, takeOf } from '@evlay/core';
import { canBePlaced } from '@evlay/core/edit';
import { rigHeight } from '@evlay/core/rig';
import { KeyRound, RotateCcw } from 'lucide-react';
import { useMemo } from 'react';
import { perform } from '../../commands/command.js';
import { beginWhereEnds, keyPlace, playOn, standAsRecorded } from '../../commands/stack/layer-values.js';
import { setView } from '../../commands/view/view.js';
import { CommandButton, CommandChoice } from '../../controls/CommandButton.js';
import { ANGLE_UNITS, lengthUnits } from '../../controls/units.js';
import { Value } from '../../controls/Value.js';
import { useCalmProject, useEditor, useProject, useSession } from '../../editor/context.js';
import { Row } from '../../ui/Row.js';
import { MovedAbove, SpaceChoice } from '../joint/SpaceChoice.js';

const NAMES: Record<PlacementChannel, string> = {
  tx: 'Moved along X',
  ty: 'Moved up',
  tz: 'Moved along Z',
  rx: 'Turned about X, degrees',
  ry: 'Turned about the vertical, degrees',
  rz: 'Banked about Z, degrees',
};

/** Where the lit layer's whole performance stands in the scene, and what it follows on. */
export function PlacementRows({ layer }: { layer: Layer }) {
  const editor = useEditor();
  const placing = useSession((state) => state.placing);
  const rig = useProject((project) => project.rig);
  const metresPerUnit = useProject((project) => project.metresPerUnit);
  const layers = useCalmProject((project) => project.layers);
  const step = useMemo(() => 10 ** Math.floor(Math.log10((rigHeight(rig) || 1) / 80)), [rig]);
  if (!canBePlaced(layer)) return null;
  const keyed = layer.placement && PLACEMENT_CHANNELS.some((channel) => isCurve(layer.placement![channel]));
  const base = baseOf({ layers }).id === layer.id;
  const others = layers.filter((one) => !base && one.id !== layer.id && takeOf(one) && takeOf(layer));
  const number = (channel: PlacementChannel) => {
    const rotates = channel.startsWith('r');
    return (
      <Value
        key={channel}
        label={NAMES[channel]}
        addresses={[{ kind: 'placement', layer: layer.id, channel }]}
        step={rotates ? 0.5 : step}
        decimals={rotates ? 1 : Math.max(0, Math.min(4, Math.ceil(-Math.log10(step))))}
        width="56px"
        units={rotates ? ANGLE_UNITS : lengthUnits(metresPerUnit)}
      />
    );
  };
  return (
    <>
      <Row label="place">
        {layer.placement ? (
          <>
            {PLACEMENT_CHANNELS.filter((channel) => channel.startsWith('t')).map(number)}
            <CommandButton command={keyPlace} arg={layer.id} icon={KeyRound} on={keyed} />
            <CommandButton command={standAsRecorded} arg={layer.id} icon={RotateCcw} />
          </>
        ) : (
          <>
            <Text>where it was recorded</Text>
            <CommandChoice
              command={setView}
              arg={{ placing: !placing, handle: 'move' }}
              on={placing}
              title="Shows handles in the view that move and turn the whole performance"
            >
              place
            </CommandChoice>
          </>
        )}
      </Row>
      {layer.placement && (
        <Row label="turned">
          {PLACEMENT_CHANNELS.filter((channel) => channel.startsWith('r')).map(number)}
        </Row>
      )}
      {(layer.placement || takeOf(layer)) && (
        <Row label="plays on">
          <SpaceChoice
            label="On what the performance plays"
            value={layer.placement?.space}
            world="the floor"
            onChoose={(space) => perform(editor, playOn, { layer: layer.id, space })}
          />
        </Row>
      )}
      <MovedAbove layer={layer.id} space={layer.placement?.space} />
      {others.length > 0 && (
        <Row label="begins">
          <chakra.select
            aria-label="Begins where another layer ends"
            value=""
            onChange={(event) =>
              perform(editor, beginWhereEnds, { layer: layer.id, after: event.target.value })
            }
            bg="panel"
            borderWidth="1px"
            borderColor="line"
            borderRadius="l1"
            height="22px"
            flex="1"
            minWidth="0"
          >
            <option value="">where one ends …</option>
            {others.map(({ id, name }) => (
              <option key={id} value={id}>
                where {name} ends
              </option>
            ))}
          </chakra.select>
        </Row>
      )}
    </>
  );
}
