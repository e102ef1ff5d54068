import { chakra, Text } from '@chakra-ui/react';
import { isCurve, type Layer, PLACEMENT_CHANNELS, type PlacementChannel } from '@evlay/core';
import { canBePlaced, clearPlacement, keyPlacement, lineUp, placementAt, setPlacement } from '@evlay/core/edit';
import { rigHeight } from '@evlay/core/rig';
import { KeyRound, RotateCcw } from 'lucide-react';
import { useMemo } from 'react';
import { playhead } from '../state/playhead.js';
import { currentProject, edit, useProject } from '../state/project-store.js';
import { setSession, useSession } from '../state/session-store.js';
import { Choice } from '../ui/Choice.js';
import { DragNumber } from '../ui/DragNumber.js';
import { ToolButton } from '../ui/ToolButton.js';
import { Row } from './Row.js';

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
  const placing = useSession((state) => state.placing);
  const rig = useProject((project) => project.rig);
  const layers = useProject((project) => project.layers);
  const step = useMemo(() => 10 ** Math.floor(Math.log10((rigHeight(rig) || 1) / 80)), [rig]);
  if (!canBePlaced(layer)) return null;
  const keyed = layer.placement && PLACEMENT_CHANNELS.some((channel) => isCurve(layer.placement![channel]));
  const base = layers[0].id === layer.id;
  const others = layers.filter((one) => !base && one.id !== layer.id && one.take && layer.take);
  const number = (channel: PlacementChannel) => {
    const turns = channel.startsWith('r');
    return (
      <DragNumber
        key={channel}
        label={NAMES[channel]}
        live
        read={() =>
          placementAt(currentProject().layers.find(({ id }) => id === layer.id) ?? layer, playhead.get())[
            channel
          ]
        }
        step={turns ? 0.5 : step}
        decimals={turns ? 1 : Math.max(0, Math.min(4, Math.ceil(-Math.log10(step))))}
        width="56px"
        disabled={layer.locked}
        onChange={(value, { drag }) =>
          edit((project) => setPlacement(project, layer.id, playhead.get(), { [channel]: value }), drag)
        }
      />
    );
  };
  return (
    <>
      <Row label="place">
        {layer.placement ? (
          <>
            {PLACEMENT_CHANNELS.filter((channel) => channel.startsWith('t')).map(number)}
            <ToolButton
              label="Key the placement"
              icon={KeyRound}
              on={keyed}
              disabled={layer.locked}
              onClick={() => edit((project) => keyPlacement(project, layer.id, playhead.get()))}
            />
            <ToolButton
              label="Let it stand where it was recorded"
              icon={RotateCcw}
              disabled={layer.locked}
              onClick={() => edit((project) => clearPlacement(project, layer.id))}
            />
          </>
        ) : (
          <>
            <Text>where it was recorded</Text>
            <Choice
              on={placing}
              disabled={layer.locked}
              title="Shows handles in the view that move and turn the whole performance"
              onClick={() => setSession({ placing: !placing, handle: 'move' })}
            >
              place
            </Choice>
          </>
        )}
      </Row>
      {layer.placement && (
        <Row label="turned">
          {PLACEMENT_CHANNELS.filter((channel) => channel.startsWith('r')).map(number)}
        </Row>
      )}
      {others.length > 0 && (
        <Row label="begins">
          <chakra.select
            aria-label="Begins where another layer ends"
            value=""
            disabled={layer.locked}
            onChange={(event) => edit((project) => lineUp(project, layer.id, event.target.value))}
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
