import { Box, Text } from '@chakra-ui/react';
import {
  AXES,
  type Axes,
  type Channel,
  CONTENT_FACTS,
  contactsOf,
  entryOf,
  JOINT_CHANNELS,
  type Layer,
  layerById,
  layerIndex,
  takeOf,
  takesKeys,
  targetsOf,
} from '@evlay/core';
import { actsOn } from '@evlay/core/edit';
import { memberCount, partLabel } from '@evlay/core/rig';
import {
  ArrowDown,
  ArrowUp,
  ChevronsUp,
  CopyPlus,
  Focus,
  KeyRound,
  Merge,
  Minus,
  PersonStanding,
  Plus,
  ScanLine,
  Spline,
  Trash2,
} from 'lucide-react';
import { useRef } from 'react';
import { shallow } from 'zustand/shallow';
import { perform } from '../../commands/command.js';
import { setEase, smoothTheHolds } from '../../commands/keys/curves.js';
import { keyValues } from '../../commands/keys/values.js';
import { changeAxes, changeMode } from '../../commands/stack/converting.js';
import { showHeadroom } from '../../commands/stack/findings.js';
import { letAllCount, limitToPicked } from '../../commands/stack/layer-values.js';
import {
  duplicateLit,
  moveLitDown,
  moveLitUp,
  removeLayer,
  renameLayer,
} from '../../commands/stack/layers.js';
import {
  keepKeysOffPicked,
  letKeyAll,
  letKeyChannels,
  letKeyPicked,
  limitKeysToPicked,
} from '../../commands/stack/membership.js';
import { mergeDown } from '../../commands/stack/merging.js';
import { CommandButton, CommandChoice } from '../../controls/CommandButton.js';
import { useTogether } from '../../controls/use-together.js';
import { Value } from '../../controls/Value.js';
import { useCalmProject, useEditor, useProject, useSession } from '../../editor/context.js';
import { NameField } from '../../ui/NameField.js';
import { Row } from '../../ui/Row.js';
import { JointRows } from '../joint/JointRows.js';
import { TargetRows } from '../joint/TargetRows.js';
import { TimingRows } from '../timing/TimingRows.js';
import { BlendRows } from './BlendRows.js';
import { ColorRow } from './ColorRow.js';
import { GoOnRow } from './GoOnRow.js';
import { HeldRows } from './HeldRows.js';
import { LetThroughRow } from './LetThroughRow.js';
import { PlacementRows } from './PlacementRows.js';
import { SpanRow } from './SpanRows.js';
import { StandsRow } from './StandsRow.js';
import { TakeRow } from './TakeRow.js';
import { TimeRows } from './TimeRows.js';
import { WalkRows } from './WalkRows.js';

/** Whether two states of a layer differ in nothing but the keys of its channels. */
const sameButKeys = (a: Layer, b: Layer): boolean =>
  a.content.kind === b.content.kind &&
  takesKeys(a) &&
  shallow({ ...a, content: undefined }, { ...b, content: undefined });

/** A layer of the project. It stays the same object while only keys change: what shows those reads them itself. */
function useAllButKeys(id: string): Layer | undefined {
  const known = useRef<Layer>(undefined);
  return useCalmProject((project) => {
    const layer = layerById(project, id);
    if (!layer || !known.current || !sameButKeys(layer, known.current)) known.current = layer;
    return known.current;
  });
}

/** The lit layer: name, mode, weight, span, what it acts on. */
export function LayerPanel() {
  const editor = useEditor();
  const lit = useSession((state) => state.lit);
  const layer = useAllButKeys(lit);
  const index = useProject((project) => layerIndex(project, lit));
  const count = useProject((project) => project.layers.length);
  const others = useTogether(lit).filter((id) => id !== lit);
  if (!layer) return null;
  const base = index === 0;
  return (
    <Box as="section" aria-label="Lit layer" px="3" py="2" display="flex" flexDirection="column" gap="1.5">
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
        <CommandButton command={mergeDown} arg={undefined} icon={Merge} disabled={base} />
        <CommandButton command={duplicateLit} arg={undefined} icon={CopyPlus} disabled={base} />
        <CommandButton command={removeLayer} arg={lit} icon={Trash2} disabled={base} />
      </Box>
      {others.length > 0 && (
        <Text color="lamp" fontSize="12px">
          and {others.length} more picked: what is changed here changes them too, numbers by as much
        </Text>
      )}
      <Row label="weight">
        <Value
          label="Weight of the lit layer"
          addresses={[lit, ...others].map((id) => ({ kind: 'weight', layer: id }))}
        />
        <CommandButton
          command={keyValues}
          arg={[{ kind: 'weight', layer: lit }] as const}
          label="Key the weight"
          icon={KeyRound}
        />
        <Text color="quiet" flex="1" truncate>
          {typeof layer.weight === 'number' ? 'the same at every frame' : keysText(layer.weight.keys.length)}
        </Text>
        {!base && <HeadroomButton layer={lit} />}
      </Row>
      {!base && <LetThroughRow layer={layer} />}
      {!base && <SpanRow layer={layer} />}
      <Row label="mode">
        {base ? (
          <Text>base: always there, at the bottom</Text>
        ) : (
          CONTENT_FACTS[layer.content.kind].modes.map((mode) => (
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
      {!base && layer.mode === 'additive' && takesKeys(layer) && <AxesRow layer={layer} />}
      <TakeRow layer={layer} />
      <StandsRow layer={layer} />
      <WalkRows layer={layer} />
      {!base && takesKeys(layer) && <TargetRows layer={layer.id} />}
      {layer.content.kind === 'curves' && <GoOnRow layer={layer} />}
      <HeldRows layer={layer} />
      <JointRows layer={layer} />
      <TimeRows layer={layer} />
      <PlacementRows layer={layer} />
      <ActsOn layer={layer} />
      {!base && takesKeys(layer) && <MayKey layer={layer} />}
      {takesKeys(layer) && <EaseRow layer={layer} />}
      {!base && <BlendRows layer={layer} />}
      {!base && <ColorRow layer={layer} />}
      <TimingRows layer={layer} />
    </Box>
  );
}

/** Shows how far the layer can be turned up, or hides that. */
function HeadroomButton({ layer }: { layer: string }) {
  const shown = useSession((state) => state.headroom?.layer === layer && state.headroom.part === undefined);
  return (
    <CommandButton
      command={showHeadroom}
      arg={shown ? undefined : { layer }}
      label={shown ? 'Hide the headroom' : 'Show its headroom: how far it can be turned up'}
      icon={ChevronsUp}
      on={shown}
    />
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

function ActsOn({ layer }: { layer: Layer }) {
  const picked = useSession((state) => state.parts);
  const project = useCalmProject((current) => current);
  const { parts, joints, channels } = actsOn(project, layerById(project, layer.id) ?? layer);
  const few = (names: readonly string[], word: string) =>
    names.length > 3 ? `${names.length} ${word}` : names.join(', ');
  const where = parts.length > 0 ? few(parts.map(partLabel), 'parts') : 'no part of the body';
  const what = takeOf(layer)
    ? 'with a take'
    : contactsOf(layer)
      ? 'where contacts are held'
      : targetsOf(layer).length > 0 && joints.length === 0
        ? `with ${targetsOf(layer).length === 1 ? 'a target' : `${targetsOf(layer).length} targets`}`
        : joints.length > 0
          ? `with keys on the ${channels.join(' and ')} of ${few(joints, 'joints')}`
          : 'no keys yet';
  const bits = [`${where}, ${what}`].filter(Boolean);
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

const EASE_TITLES = {
  smooth: 'New keys are smooth',
  linear: 'New keys go straight to the next one',
  hold: 'Blocking: new keys hold their pose until the next one',
} as const;

/** How the curves of a layer go on from keys that are set. */
function EaseRow({ layer }: { layer: Layer }) {
  const { ease = 'smooth' } = layer;
  return (
    <Row label="new keys">
      {(['smooth', 'linear', 'hold'] as const).map((one) => (
        <CommandChoice
          key={one}
          command={setEase}
          arg={{ layer: layer.id, ease: one }}
          on={ease === one}
          title={EASE_TITLES[one]}
        >
          {one}
        </CommandChoice>
      ))}
      <Box flex="1" />
      <CommandButton
        command={smoothTheHolds}
        arg="lit"
        label="Make the holds of the layer smooth"
        icon={Spline}
      />
    </Row>
  );
}

/** The channels of a joint by what they do. */
const KINDS = { turn: ['rx', 'ry', 'rz'], move: ['tx', 'ty', 'tz'], scale: ['sx', 'sy', 'sz'] } as const;
type KindOfChannel = keyof typeof KINDS;

/** What a layer may key: set from what is picked in the view or on the map, where the rest is hatched and grey; down to single axes. */
function MayKey({ layer }: { layer: Layer }) {
  const picked = useSession((state) => state.picked);
  const rig = useProject((project) => project.rig);
  const names = picked.flatMap((j) => rig.joints[j]?.name ?? []);
  const allowed = names.map((name): readonly Channel[] =>
    layer.allows ? (entryOf(layer.allows, name) ?? []) : JOINT_CHANNELS,
  );
  const has = (channels: readonly Channel[]) =>
    allowed.length > 0 && allowed.every((list) => channels.every((channel) => list.includes(channel)));
  /** All that may be keyed now, with some channels more or less. */
  const toggled = (channels: readonly Channel[]): Channel[] =>
    JOINT_CHANNELS.filter((one) => (channels.includes(one) ? !has(channels) : has([one])));
  const open = layer.allows
    ? Object.values(layer.allows).filter((list) => list.length > 0).length
    : undefined;
  return (
    <>
      <Row label="may key">
        <Text truncate flex="1">
          {open === undefined ? 'every joint' : `${open} of ${memberCount(rig)} joints and face channels`}
        </Text>
        <CommandButton command={limitKeysToPicked} arg={undefined} icon={Focus} />
        <CommandButton command={letKeyPicked} arg={undefined} icon={Plus} />
        <CommandButton command={keepKeysOffPicked} arg={undefined} icon={Minus} />
        {layer.allows && <CommandButton command={letKeyAll} arg={undefined} icon={PersonStanding} />}
      </Row>
      {names.length > 0 && (
        <Box role="group" aria-label="Axes that may be keyed">
          <Text color="quiet" truncate>
            {names.length === 1 ? names[0] : `${names.length} joints`}
          </Text>
          {(Object.keys(KINDS) as KindOfChannel[]).map((kind) => (
            <Row key={kind} label={kind}>
              <CommandChoice
                command={letKeyChannels}
                arg={toggled(KINDS[kind])}
                on={has(KINDS[kind])}
                title={`Whether it may be keyed about or along every axis: ${kind}`}
              >
                every axis
              </CommandChoice>
              {KINDS[kind].map((channel) => (
                <CommandChoice
                  key={channel}
                  command={letKeyChannels}
                  arg={toggled([channel])}
                  on={has([channel])}
                  title={`Whether ${channel} may be keyed`}
                >
                  {channel}
                </CommandChoice>
              ))}
            </Row>
          ))}
        </Box>
      )}
    </>
  );
}

const keysText = (count: number): string => (count === 1 ? 'one key' : `${count} keys`);
