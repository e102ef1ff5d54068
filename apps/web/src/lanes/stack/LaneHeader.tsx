import { Box, chakra, Text } from '@chakra-ui/react';
import { type ContentKind, type Layer, layerById } from '@evlay/core';
import { spanFactor } from '@evlay/core/evaluate';
import { Lock, LockOpen, SquareDot } from 'lucide-react';
import { type MouseEvent, memo } from 'react';
import { type Command, perform } from '../../commands/command.js';
import {
  lightLayer,
  nameLit,
  renameLayer,
  toggleLane,
  toggleLock,
  toggleMute,
  toggleSolo,
} from '../../commands/stack/layers.js';
import { pickLayer } from '../../commands/stack/picked-layers.js';
import { playAlone, setView } from '../../commands/view/view.js';
import { openMenu } from '../../controls/context-menu.js';
import { LayerMark } from '../../controls/LayerMark.js';
import { useTogether } from '../../controls/use-together.js';
import { Value } from '../../controls/Value.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { NameField } from '../../ui/NameField.js';
import { HeaderButton } from '../HeaderButton.js';
import { layerMenu } from '../menus.js';
import { Triangle } from '../Triangle.js';
import { PartCells } from '../weights/PartCells.js';
import { dragLayers } from './drag-layers.js';

/** What a lane's header shows of its layer: all but its keys. */
export type LayerHead = Pick<Layer, 'id' | 'name' | 'mode' | 'muted' | 'solo' | 'locked' | 'span'> & {
  readonly kind: ContentKind;
  readonly take: string | undefined;
};

interface LaneHeaderProps {
  readonly layer: LayerHead;
  /** Whether there is anything that an open lane shows. */
  readonly opens: boolean;
  readonly index: number;
  readonly lit: boolean;
  /** Whether it is picked beside the lit one. */
  readonly picked: boolean;
  readonly open: boolean;
  readonly width: number;
  readonly height: number;
}

/** Name, mode, weight at this frame, switches, and which parts the layer counts in. */
export const LaneHeader = memo(function LaneHeader(props: LaneHeaderProps) {
  const { layer, opens, index, lit, picked, open, width, height } = props;
  const editor = useEditor();
  const ids = useTogether(layer.id);
  const naming = useSession((state) => state.naming === layer.id);
  const grouped = useProject((project) => layerById(project, layer.id)?.group !== undefined);
  const pick = (event: MouseEvent) =>
    perform(editor, pickLayer, {
      layer: layer.id,
      how: event.ctrlKey || event.metaKey ? 'more' : event.shiftKey ? 'up to here' : 'alone',
    });
  return (
    <Box
      width={`${width}px`}
      height={`${height}px`}
      flex="none"
      pr="1"
      borderLeftWidth="3px"
      data-does="Click a name to light the layer, Ctrl: pick it too, Shift: all up to it, double click: rename it; drag the mark to move it in the stack; right click: more"
      onContextMenu={(event) => {
        perform(editor, lightLayer, layer.id);
        openMenu(event, layerMenu(editor, layer.id));
      }}
      borderLeftColor={lit ? 'lamp' : picked ? 'lamp/50' : 'transparent'}
    >
      <Box display="flex" alignItems="center" gap="1" height="25px" pl={grouped ? '3' : undefined}>
        {opens ? (
          <Triangle
            open={open}
            what={`the lane of ${layer.name}`}
            title={`${open ? 'Close' : 'Open'} the lane: a row for each part that it weighs and each joint that it keys`}
            onToggle={() => perform(editor, toggleLane, layer.id)}
          />
        ) : (
          <Box width="18px" flex="none" />
        )}
        {naming ? (
          <NameField
            label={`Name of the layer ${layer.name}`}
            name={layer.name}
            onRename={(name) => perform(editor, renameLayer, { layer: layer.id, name })}
            onLeave={() => perform(editor, setView, { naming: undefined })}
            autoFocus
            flex="1"
            minWidth="0"
            height="22px"
          />
        ) : (
          <chakra.button
            type="button"
            aria-pressed={lit || picked}
            onClick={pick}
            onDoubleClick={() => perform(editor, nameLit, undefined)}
            display="flex"
            alignItems="center"
            gap="2"
            flex="1"
            minWidth="0"
            height="22px"
            textAlign="left"
            cursor="pointer"
            title={layer.name}
          >
            <chakra.span
              flex="none"
              cursor={index === 0 ? undefined : 'grab'}
              touchAction="none"
              onPointerDown={(event) => index > 0 && dragLayers(editor, event, { layer: layer.id })}
            >
              <LayerMark index={index} small />
            </chakra.span>
            <chakra.span truncate fontWeight={lit ? 600 : 400} flex="1">
              {layer.name}
            </chakra.span>
            <chakra.span color="quiet" fontSize="12px" width="52px" flex="none">
              {index === 0 ? 'base' : layer.mode}
            </chakra.span>
          </chakra.button>
        )}
        <Box display="flex" alignItems="center" height="22px" gap="0" flex="none">
          <PartCells id={layer.id} />
          <Value
            label={`Weight of ${layer.name}`}
            addresses={[layer.id, ...ids.filter((id) => id !== layer.id)].map((id) => ({
              kind: 'weight',
              layer: id,
            }))}
            counts={(frame) => spanFactor(layer.span, frame)}
          />
          <Alone layer={layer} />
          <Switch layer={layer} command={toggleMute} on={layer.muted}>
            M
          </Switch>
          <Switch layer={layer} command={toggleSolo} on={layer.solo}>
            S
          </Switch>
          <Switch layer={layer} command={toggleLock} on={layer.locked}>
            {layer.locked ? <Lock size={11} aria-hidden /> : <LockOpen size={11} aria-hidden />}
          </Switch>
        </Box>
      </Box>
      {lit && <Hint layer={layer} index={index} />}
    </Box>
  );
});

const SHAPE = 'Drag the shape to weigh it, its feet for the span, its slopes for the fades.';

/** What is done in the lane of a layer, by what it brings and whether it is the base. */
const HINTS: { readonly [K in ContentKind]: (base: boolean) => string } = {
  nothing: (base) =>
    base
      ? 'Nothing yet, the rest pose: pose the character, or bring a take in on Takes.'
      : 'No keys yet: click the character, then turn or move the joint.',
  take: () => SHAPE,
  curves: (base) => (base ? 'Keyed: click the character, then turn or move the joint.' : SHAPE),
  contacts: () => 'Drag where limbs stand, or the ends of that; double click adds one.',
};

/** What the lit lane is for, under its name. */
function Hint({ layer, index }: { layer: LayerHead; index: number }) {
  const take = useProject((project) => project.takes.find(({ id }) => id === layer.take));
  let text = HINTS[layer.kind](index === 0);
  if (layer.locked) text = 'Locked: it takes no keys.';
  else if (take)
    text = `Plays the take ${take.name}: ${take.count} samples, ${Number((1 / take.interval).toFixed(2))} a second.`;
  return (
    <Text color="quiet" fontSize="12px" lineHeight="1.35" pt="1" pl="5" pr="4" maxWidth="320px">
      {text}
    </Text>
  );
}

/** Plays the layer alone; the next click brings all back. */
function Alone({ layer }: { layer: LayerHead }) {
  const editor = useEditor();
  const on = useSession((state) => state.alone?.layer === layer.id);
  return (
    <HeaderButton
      label={`Play ${layer.name} alone`}
      title={
        on ? 'Play all layers again' : `Play ${layer.name} alone over the base; with Alt over the rest pose`
      }
      does="Click to play the layer alone over the base, Alt: over the rest pose; once more: all layers again"
      on={on}
      onClick={(event) => perform(editor, playAlone, { layer: layer.id, rest: event.altKey })}
    >
      <SquareDot size={12} aria-hidden />
    </HeaderButton>
  );
}

interface SwitchProps {
  readonly layer: LayerHead;
  readonly command: Command<string>;
  readonly on: boolean;
  readonly children: React.ReactNode;
}

function Switch({ layer, command, on, children }: SwitchProps) {
  const editor = useEditor();
  const label = `${command.name} ${layer.name}`;
  return (
    <HeaderButton label={label} title={label} on={on} onClick={() => perform(editor, command, layer.id)}>
      {children}
    </HeaderButton>
  );
}
