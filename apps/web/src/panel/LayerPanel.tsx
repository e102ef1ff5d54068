import { Box, chakra, Text } from '@chakra-ui/react';
import { AXES, type Axes, LAYER_COLORS, type Layer, layerIndex, type Span, takeOf } from '@evlay/core';
import { actsOn } from '@evlay/core/edit';
import { partLabel } from '@evlay/core/rig';
import {
  ArrowDown,
  ArrowUp,
  CopyPlus,
  KeyRound,
  MoveHorizontal,
  PersonStanding,
  RotateCcw,
  ScanLine,
  Trash2,
} from 'lucide-react';
import { perform } from '../commands/command.js';
import {
  changeAxes,
  changeColor,
  changeMode,
  changeSpan,
  clearJointWeight,
  duplicateLit,
  letAllCount,
  limitToPicked,
  moveLitDown,
  moveLitUp,
  removeLayer,
  renameLayer,
} from '../commands/layers.js';
import { keyValues } from '../commands/values.js';
import { CommandButton, CommandChoice } from '../controls/CommandButton.js';
import { DragNumber } from '../controls/DragNumber.js';
import { Value } from '../controls/Value.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import { NameField } from '../ui/NameField.js';
import { Row } from '../ui/Row.js';
import { PlacementRows } from './PlacementRows.js';
import { TakeRow } from './TakeRow.js';
import { TimeRows } from './TimeRows.js';

/** The lit layer: name, mode, weight, span, what it acts on. */
export function LayerPanel() {
  const editor = useEditor();
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
      flex="0 1 auto"
      minHeight="0"
      overflowY="auto"
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
          onRename={(name) => perform(editor, renameLayer, { layer: lit, name })}
          fontWeight="600"
          flex="1"
          minWidth="0"
          mx="-1.5"
        />
        <CommandButton
          command={moveLitUp}
          arg={undefined}
          icon={ArrowUp}
          disabled={base || index === count - 1}
        />
        <CommandButton command={moveLitDown} arg={undefined} icon={ArrowDown} disabled={base || index <= 1} />
        <CommandButton command={duplicateLit} arg={undefined} icon={CopyPlus} disabled={base} />
        <CommandButton command={removeLayer} arg={lit} icon={Trash2} disabled={base} />
      </Box>
      {!base && <ColorRow layer={layer} />}
      <Row label="mode">
        {base ? (
          <Text>base: always there, at the bottom</Text>
        ) : (
          (['additive', 'override'] as const).map((mode) => (
            <CommandChoice
              key={mode}
              command={changeMode}
              arg={{ layer: lit, mode }}
              on={layer.mode === mode}
            >
              {mode}
            </CommandChoice>
          ))
        )}
      </Row>
      {!base && layer.mode === 'additive' && layer.content.kind !== 'take' && <AxesRow layer={layer} />}
      <TakeRow layer={layer} />
      <Row label="weight">
        <Value label="Weight of the lit layer" addresses={[{ kind: 'weight', layer: lit }]} />
        <CommandButton
          command={keyValues}
          arg={[{ kind: 'weight', layer: lit }] as const}
          label="Key the weight"
          icon={KeyRound}
        />
        <Text color="quiet">
          {typeof layer.weight === 'number' ? 'the same at every frame' : `${layer.weight.keys.length} keys`}
        </Text>
      </Row>
      {!base && <SpanRow layer={layer} />}
      <JointRows layer={layer} />
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
        <CommandChoice
          key={axes}
          command={changeAxes}
          arg={{ layer: layer.id, axes }}
          on={layer.axes === axes}
          title={AXES_TITLES[axes]}
        >
          {axes}
        </CommandChoice>
      ))}
    </Row>
  );
}

function SpanRow({ layer }: { layer: Layer }) {
  const range = useProject((project) => project.range);
  const { span } = layer;
  const spanned = (values: Span) => ({ layer: layer.id, span: values });
  if (!span) {
    return (
      <Row label="span">
        <Text>every frame</Text>
        <CommandChoice command={changeSpan} arg={spanned({ start: range[0], end: range[1] })} on={false}>
          limit
        </CommandChoice>
      </Row>
    );
  }
  const ends = [
    ['start', 'Span starts at', span.start ?? range[0]],
    ['end', 'Span ends at', span.end ?? range[1]],
  ] as const;
  const fades = [
    ['fadeIn', 'Fade in, frames', span.start === undefined],
    ['fadeOut', 'Fade out, frames', span.end === undefined],
  ] as const;
  const { shape = 'smooth' } = span;
  return (
    <>
      <Row label="span">
        {ends.map(([field, label, value], k) => (
          <Box key={field} display="flex" alignItems="center" gap="1">
            {k === 1 && <Text color="quiet">to</Text>}
            <DragNumber
              label={label}
              read={() => value}
              step={1}
              decimals={0}
              width="36px"
              command={changeSpan}
              to={(next) => spanned({ [field]: Math.round(next) })}
            />
          </Box>
        ))}
        <Text color="quiet" ml="1">
          fades
        </Text>
        {fades.map(([field, label, open]) => (
          <DragNumber
            key={field}
            label={label}
            read={() => span[field] ?? 0}
            min={0}
            step={1}
            decimals={0}
            width="30px"
            disabled={open}
            command={changeSpan}
            to={(next) => spanned({ [field]: Math.round(next) })}
          />
        ))}
        <CommandButton
          command={changeSpan}
          arg={{ layer: layer.id, span: undefined }}
          label="Let the layer act at every frame"
          icon={MoveHorizontal}
        />
      </Row>
      {(span.fadeIn ?? span.fadeOut) !== undefined && (
        <Row label="fades">
          {(['smooth', 'linear'] as const).map((kind) => (
            <CommandChoice
              key={kind}
              command={changeSpan}
              arg={spanned({ shape: kind })}
              on={shape === kind}
              title={SHAPE_TITLES[kind]}
            >
              {kind}
            </CommandChoice>
          ))}
        </Row>
      )}
    </>
  );
}

const SHAPE_TITLES = {
  smooth: 'Fades begin and end softly',
  linear: 'Fades go straight from nothing to all',
};

/** More joints than these are not listed: the lane has a row for each. */
const LISTED = 4;

/** Weights of single joints: those that the layer has, and of the joint that is picked. */
function JointRows({ layer }: { layer: Layer }) {
  const rig = useProject((project) => project.rig);
  const picked = useSession((state) => state.picked.at(-1));
  const weighed = Object.keys(layer.joints ?? {});
  const shown = picked === undefined ? undefined : rig.joints[picked]?.name;
  const others = weighed.filter((name) => name !== shown).slice(0, LISTED);
  const more = weighed.filter((name) => name !== shown).length - others.length;
  return [...(shown === undefined ? [] : [shown]), ...others].map((name, k, all) => (
    <Row key={name} label={k === 0 ? 'joints' : ''}>
      <Text truncate title={name} flex="1">
        {name}
        {k === all.length - 1 && more > 0 && ` and ${more} more`}
      </Text>
      <Value
        label={`Weight of ${layer.name} on the joint ${name}`}
        addresses={[{ kind: 'joint', layer: layer.id, joint: name }]}
      />
      <CommandButton
        command={keyValues}
        arg={[{ kind: 'joint', layer: layer.id, joint: name }] as const}
        label={`Key the weight of ${name}`}
        icon={KeyRound}
      />
      <CommandButton
        command={clearJointWeight}
        arg={{ layer: layer.id, joint: name }}
        label={`Let ${name} count as its part does`}
        icon={RotateCcw}
        disabled={!weighed.includes(name)}
      />
    </Row>
  ));
}

/** The colour of a layer: one of those that people can tell apart, or any other. */
function ColorRow({ layer }: { layer: Layer }) {
  const editor = useEditor();
  const of = (color: string) => ({ layer: layer.id, color });
  const free = layer.color !== undefined && !LAYER_COLORS.some((color) => color === layer.color);
  return (
    <Row label="colour">
      {LAYER_COLORS.map((color) => (
        <chakra.button
          key={color}
          type="button"
          aria-label={`Colour ${color}`}
          aria-pressed={layer.color === color}
          title={COLOR_NAMES[color]}
          onClick={() => perform(editor, changeColor, of(color))}
          width="24px"
          height="24px"
          mx="-0.5"
          flex="none"
          borderRadius="8px"
          cursor="pointer"
          borderWidth="3px"
          borderColor={layer.color === color ? 'text' : 'panel'}
          style={{ background: color }}
        />
      ))}
      <chakra.input
        type="color"
        aria-label="Any other colour"
        title="Any other colour"
        key={layer.color}
        defaultValue={layer.color ?? '#888888'}
        ref={(input: HTMLInputElement | null) => {
          // Heard once, when a colour is chosen; React hears of every colour on the way there.
          if (input) input.onchange = () => void perform(editor, changeColor, of(input.value.toUpperCase()));
        }}
        width="28px"
        height="24px"
        flex="none"
        ml="1"
        cursor="pointer"
        borderWidth="1px"
        borderColor={free ? 'text' : 'line'}
        borderRadius="l1"
        bg="transparent"
      />
    </Row>
  );
}

const COLOR_NAMES: Record<(typeof LAYER_COLORS)[number], string> = {
  '#56B4E9': 'sky blue',
  '#009E73': 'green',
  '#CC79A7': 'rose',
  '#0072B2': 'blue',
  '#D55E00': 'vermilion',
  '#F0E442': 'yellow',
  '#E69F00': 'orange',
};

function ActsOn({ layer }: { layer: Layer }) {
  const picked = useSession((state) => state.parts);
  const project = useProject((current) => current);
  const { parts, joints, channels } = actsOn(project, layer);
  const few = (names: readonly string[], word: string) =>
    names.length > 3 ? `${names.length} ${word}` : names.join(', ');
  const where = parts.length > 0 ? few(parts.map(partLabel), 'parts') : 'no part of the body';
  const what = takeOf(layer)
    ? 'with a take'
    : joints.length > 0
      ? `with keys on the ${channels.join(' and ')} of ${few(joints, 'joints')}`
      : 'no keys yet';
  const bits = [
    `${where}, ${what}`,
    layer.allows && `only ${few(Object.keys(layer.allows), 'joints')} may be keyed`,
  ].filter(Boolean);
  return (
    <Row label="acts on">
      <Text truncate title={bits.join('; ')}>
        {bits.join('; ')}
      </Text>
      <Box flex="1" />
      {picked.length > 0 && <CommandButton command={limitToPicked} arg={layer.id} icon={ScanLine} />}
      {layer.mask && <CommandButton command={letAllCount} arg={layer.id} icon={PersonStanding} />}
    </Row>
  );
}
