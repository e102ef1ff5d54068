import { Box, Text } from '@chakra-ui/react';
import { AXES, type Axes, type Layer, layerIndex } from '@evlay/core';
import { actsOn, clearMask, limitToParts, moveLayer, setLayer, setMode, setSpan } from '@evlay/core/edit';
import { partLabel } from '@evlay/core/rig';
import {
  ArrowDown,
  ArrowUp,
  CopyPlus,
  KeyRound,
  MoveHorizontal,
  PersonStanding,
  ScanLine,
  Trash2,
} from 'lucide-react';
import { duplicateLit, keyLitWeight, removeLayer } from '../state/actions.js';
import { edit, useProject } from '../state/project-store.js';
import { useSession } from '../state/session-store.js';
import { Choice } from '../ui/Choice.js';
import { DragNumber } from '../ui/DragNumber.js';
import { LayerWeight } from '../ui/LayerWeight.js';
import { NameField } from '../ui/NameField.js';
import { ToolButton } from '../ui/ToolButton.js';
import { PlacementRows } from './PlacementRows.js';
import { Row } from './Row.js';
import { TakeRow } from './TakeRow.js';
import { TimeRows } from './TimeRows.js';

/** The lit layer: name, mode, weight, span, what it acts on. */
export function LayerPanel() {
  const lit = useSession((state) => state.lit);
  const layer = useProject((project) => project.layers[layerIndex(project, lit)]);
  const index = useProject((project) => layerIndex(project, lit));
  const count = useProject((project) => project.layers.length);
  if (!layer) return null;
  const base = index === 0;
  return (
    <Box
      as="section"
      aria-label="Lit layer"
      flex="none"
      px="3"
      pb="2"
      pt="2"
      borderTopWidth="1px"
      borderColor="line"
      display="flex"
      flexDirection="column"
      gap="1.5"
    >
      <Box display="flex" alignItems="center" gap="1">
        <NameField
          label="Name of the layer"
          name={layer.name}
          onRename={(name) => edit((p) => setLayer(p, lit, { name }))}
          fontWeight="600"
          flex="1"
          minWidth="0"
          mx="-1.5"
        />
        <ToolButton
          label="Move the layer up"
          icon={ArrowUp}
          disabled={base || index === count - 1}
          onClick={() => edit((p) => moveLayer(p, lit, 1))}
        />
        <ToolButton
          label="Move the layer down"
          icon={ArrowDown}
          disabled={base || index <= 1}
          onClick={() => edit((p) => moveLayer(p, lit, -1))}
        />
        <ToolButton label="Duplicate the layer" icon={CopyPlus} disabled={base} onClick={duplicateLit} />
        <ToolButton label="Delete the layer" icon={Trash2} disabled={base} onClick={() => removeLayer(lit)} />
      </Box>
      <Row label="mode">
        {base ? (
          <Text>base: always there, at the bottom</Text>
        ) : (
          (['additive', 'override'] as const).map((mode) => (
            <Choice key={mode} on={layer.mode === mode} onClick={() => edit((p) => setMode(p, lit, mode))}>
              {mode}
            </Choice>
          ))
        )}
      </Row>
      {!base && layer.mode === 'additive' && !layer.take && <AxesRow layer={layer} />}
      <TakeRow layer={layer} />
      <Row label="weight">
        <LayerWeight layer={layer} label="Weight of the lit layer" />
        <ToolButton
          label="Key the weight"
          hotkey="Shift+Enter"
          icon={KeyRound}
          disabled={layer.locked}
          onClick={keyLitWeight}
        />
        <Text color="quiet">
          {typeof layer.weight === 'number' ? 'the same at every frame' : `${layer.weight.keys.length} keys`}
        </Text>
      </Row>
      {!base && <SpanRow layer={layer} />}
      <TimeRows layer={layer} />
      <PlacementRows layer={layer} />
      <ActsOn layer={layer} />
    </Box>
  );
}

const AXES_TITLES: Record<Axes, string> = {
  joint: 'The change turns and moves each joint in its own axes',
  world: 'The change is meant in the axes of the scene, whichever way the character stands',
  character: 'The change is meant in the axes of the scene, turned to where the character heads',
};

function AxesRow({ layer }: { layer: Layer }) {
  return (
    <Row label="axes">
      {AXES.map((axes) => (
        <Choice
          key={axes}
          on={layer.axes === axes}
          title={AXES_TITLES[axes]}
          disabled={layer.locked}
          onClick={() => edit((project) => setLayer(project, layer.id, { axes }))}
        >
          {axes}
        </Choice>
      ))}
    </Row>
  );
}

function SpanRow({ layer }: { layer: Layer }) {
  const range = useProject((project) => project.range);
  const { span } = layer;
  const set = (values: Partial<NonNullable<Layer['span']>>, drag: symbol) =>
    edit((project) => setSpan(project, layer.id, { ...span, ...values }), drag);
  if (!span) {
    return (
      <Row label="span">
        <Text>every frame</Text>
        <Choice
          on={false}
          onClick={() => edit((p) => setSpan(p, layer.id, { start: range[0], end: range[1] }))}
        >
          limit
        </Choice>
      </Row>
    );
  }
  const fields = [
    ['start', 'Span starts at', span.start ?? range[0]],
    ['end', 'Span ends at', span.end ?? range[1]],
  ] as const;
  return (
    <Row label="span">
      {fields.map(([field, label, value], k) => (
        <Box key={field} display="flex" alignItems="center" gap="1">
          {k === 1 && <Text color="quiet">to</Text>}
          <DragNumber
            label={label}
            read={() => value}
            step={1}
            decimals={0}
            width="36px"
            disabled={layer.locked}
            onChange={(next, { drag }) => set({ [field]: Math.round(next) }, drag)}
          />
        </Box>
      ))}
      <Text color="quiet" ml="1">
        fades
      </Text>
      <DragNumber
        label="Fade in, frames"
        read={() => span.fadeIn ?? 0}
        min={0}
        step={1}
        decimals={0}
        width="30px"
        disabled={layer.locked || span.start === undefined}
        onChange={(next, { drag }) => set({ fadeIn: Math.round(next) }, drag)}
      />
      <DragNumber
        label="Fade out, frames"
        read={() => span.fadeOut ?? 0}
        min={0}
        step={1}
        decimals={0}
        width="30px"
        disabled={layer.locked || span.end === undefined}
        onChange={(next, { drag }) => set({ fadeOut: Math.round(next) }, drag)}
      />
      <ToolButton
        label="Let the layer act at every frame"
        icon={MoveHorizontal}
        disabled={layer.locked}
        onClick={() => edit((p) => setSpan(p, layer.id, undefined))}
      />
    </Row>
  );
}

function ActsOn({ layer }: { layer: Layer }) {
  const picked = useSession((state) => state.parts);
  const project = useProject((current) => current);
  const { parts, joints, channels } = actsOn(project, layer);
  const few = (names: readonly string[], word: string) =>
    names.length > 3 ? `${names.length} ${word}` : names.join(', ');
  const bits = [
    parts.length > 0 ? few(parts.map(partLabel), 'parts') : 'no part',
    layer.take ? 'a take' : joints.length > 0 ? few(joints, 'keyed joints') : 'no keys yet',
    channels.join(' and '),
    layer.allows && `keys ${few(Object.keys(layer.allows), 'joints')} only`,
  ].filter(Boolean);
  return (
    <Row label="acts on">
      <Text truncate title={bits.join(' · ')}>
        {bits.join(' · ')}
      </Text>
      <Box flex="1" />
      {picked.length > 0 && (
        <ToolButton
          label="Limit the layer to the picked parts"
          icon={ScanLine}
          disabled={layer.locked}
          onClick={() => edit((p) => limitToParts(p, layer.id, picked))}
        />
      )}
      {layer.mask && (
        <ToolButton
          label="Let all parts count"
          icon={PersonStanding}
          disabled={layer.locked}
          onClick={() => edit((p) => clearMask(p, layer.id))}
        />
      )}
    </Row>
  );
}
