import { Box, chakra, Text } from '@chakra-ui/react';
import { CHANNELS, type Channel, channelsOf, entryOf, layerById } from '@evlay/core';
import { Fragment, useEffect, useRef } from 'react';
import { perform } from '../../commands/command.js';
import { type ChannelChange, keyedNow, setChannel, toggleChannelKey } from '../../commands/keys/channels.js';
import { movesItself } from '../../commands/view/view.js';
import { DragNumber } from '../../controls/DragNumber.js';
import { useCalmProject, useEditor, useProject, useSession } from '../../editor/context.js';
import type { Editor } from '../../editor/editor.js';
import { typedNumber } from '../../ui/number-text.js';
import { channelIn, heldOf, poseBelow, type Shape, shapeOf } from './joint-values.js';

/** More joints than these are not listed one by one: the row for all of them sets those too. */
const LISTED = 6;

/** Every channel of the picked joints: what the lit layer holds, what is below it, and what is seen. */
export function JointNumbers() {
  const picked = useSession((state) => state.picked);
  const rig = useProject((project) => project.rig);
  const lit = useSession((state) => state.lit);
  const project = useCalmProject((current) => current);
  const layer = layerById(project, lit);
  const channelsFor = (j: number): Channel[] => {
    const keyed = layer && entryOf(channelsOf(layer), rig.joints[j].name);
    return CHANNELS.filter(
      (channel) =>
        channel[0] === 'r' ||
        keyed?.[channel] !== undefined ||
        (channel[0] === 't' && movesItself(project, layer, j)),
    ).sort((a, b) => 'rts'.indexOf(a[0]) - 'rts'.indexOf(b[0]));
  };
  const shown = picked.filter((j) => j < rig.joints.length);
  // The joint that has the handles stands first.
  const listed = shown.toReversed().slice(0, LISTED);
  return (
    <Box
      display="grid"
      gridTemplateColumns="minmax(28px, auto) repeat(3, minmax(0, 1fr)) 22px"
      columnGap="1.5"
      gridAutoRows="minmax(24px, auto)"
      alignItems="center"
      fontSize="12px"
    >
      <span />
      <Text color="quiet" textAlign="right" title="What the lit layer holds">
        layer
      </Text>
      <Text color="quiet" textAlign="right" title="What the layers below it show">
        below
      </Text>
      <Text color="quiet" textAlign="right" title="What is seen">
        result
      </Text>
      <span />
      {shown.length > 1 && (
        <>
          <Heading>{`all ${shown.length} joints`}</Heading>
          {(['rx', 'ry', 'rz'] as const).map((channel) => (
            <AllRow key={channel} joints={shown} channel={channel} />
          ))}
        </>
      )}
      {listed.map((j) => (
        <Fragment key={j}>
          {shown.length > 1 && <Heading>{rig.joints[j].name}</Heading>}
          {channelsFor(j).map((channel) => (
            <ChannelRow key={channel} joint={j} channel={channel} />
          ))}
        </Fragment>
      ))}
      {shown.length > listed.length && (
        <Heading>{`and ${shown.length - listed.length} joints more, which the upper rows set too`}</Heading>
      )}
    </Box>
  );
}

const Heading = ({ children }: { children: string }) => (
  <Text gridColumn="1 / -1" fontWeight="600" truncate mt="1">
    {children}
  </Text>
);

/** A change of one channel by what is typed: absolutely, `+5`, `*0.5`, each joint from its own number. */
function typedFor(
  editor: Editor,
  joints: readonly number[],
  channel: Channel,
  { factor, units }: Shape,
  text: string,
): ChannelChange | undefined {
  const values = new Map<number, number>();
  for (const j of joints) {
    const value = typedNumber(text, heldOf(editor, j, channel) / factor, units);
    if (value === undefined) return undefined;
    values.set(j, value * factor);
  }
  return { channel, values };
}

interface ChannelNumberProps {
  readonly label: string;
  /** The joints that it sets; the last one's number is shown. */
  readonly joints: readonly number[];
  readonly channel: Channel;
}

/** What the lit layer holds in a channel: a drag adds to all joints alike, what is typed is said of each. */
function ChannelNumber({ label, joints, channel }: ChannelNumberProps) {
  const editor = useEditor();
  const metresPerUnit = useProject((project) => project.metresPerUnit);
  const shape = shapeOf(channel, metresPerUnit);
  const last = joints.at(-1)!;
  const start = (): ChannelChange => ({
    channel,
    values: new Map(joints.map((j) => [j, heldOf(editor, j, channel)])),
  });
  return (
    <>
      <Text color="quiet" whiteSpace="nowrap">
        {channel} {shape.unit}
      </Text>
      <DragNumber
        label={label}
        read={() => heldOf(editor, last, channel) / shape.factor}
        live
        step={shape.step}
        decimals={shape.decimals}
        units={shape.units}
        width="100%"
        command={setChannel}
        start={start}
        to={(value, _, from = start()) => {
          const by = value * shape.factor - from.values.get(last)!;
          return { channel, values: new Map([...from.values].map(([j, held]) => [j, held + by])) };
        }}
        toTyped={(text) => typedFor(editor, joints, channel, shape, text)}
      />
    </>
  );
}

function AllRow({ joints, channel }: { joints: readonly number[]; channel: Channel }) {
  return (
    <>
      <ChannelNumber label={`${channel} of all picked joints`} joints={joints} channel={channel} />
      <span />
      <span />
      <span />
    </>
  );
}

function ChannelRow({ joint, channel }: { joint: number; channel: Channel }) {
  const editor = useEditor();
  const name = useProject((project) => project.rig.joints[joint]?.name ?? '');
  const metresPerUnit = useProject((project) => project.metresPerUnit);
  const shape = shapeOf(channel, metresPerUnit);
  const text = (value: number) => (value / shape.factor).toFixed(shape.decimals);
  return (
    <>
      <ChannelNumber label={`${channel} of ${name} on the layer`} joints={[joint]} channel={channel} />
      <Live
        label={`${channel} of ${name} below`}
        read={() => text(channelIn(editor, poseBelow(editor), joint, channel))}
      />
      <Live
        label={`${channel} of ${name} as seen`}
        read={() => text(channelIn(editor, editor.stage.get().pose, joint, channel))}
      />
      <KeyMark joint={joint} channel={channel} name={name} />
    </>
  );
}

/** A number that is only looked at; it follows the playhead without rendering. */
function Live({ label, read }: { label: string; read: () => string }) {
  const { stage } = useEditor();
  const field = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    const show = () => {
      const text = read();
      if (field.current && field.current.textContent !== text) field.current.textContent = text;
    };
    show();
    return stage.subscribe(show);
  });
  return (
    <chakra.span
      ref={field}
      role="note"
      aria-label={label}
      textAlign="right"
      fontFamily="mono"
      fontVariantNumeric="tabular-nums"
      color="quiet"
    >
      {read()}
    </chakra.span>
  );
}

/** The bar of a key in the lanes: filled where it stands here, empty where the number is keyed elsewhere. */
const MARKS = { here: '▮', elsewhere: '▯', never: '·' };
const SAID = { here: 'keyed here', elsewhere: 'keyed at other frames', never: 'not keyed' };

/** Whether a number is keyed; pressed, it keys it or takes the key out. */
function KeyMark({ joint, channel, name }: { joint: number; channel: Channel; name: string }) {
  const editor = useEditor();
  const dot = useRef<HTMLButtonElement>(null);
  useEffect(() => {
    const show = () => {
      const keyed = keyedNow(editor, joint, channel);
      const button = dot.current;
      if (!button || button.dataset.keyed === keyed) return;
      button.dataset.keyed = keyed;
      button.textContent = MARKS[keyed];
      button.setAttribute('aria-label', `${channel} of ${name}: ${SAID[keyed]}`);
      button.title = `${SAID[keyed]}; click to ${keyed === 'here' ? 'take the key out' : 'key it'}`;
    };
    show();
    return editor.stage.subscribe(show);
  });
  const keyed = keyedNow(editor, joint, channel);
  return (
    <chakra.button
      ref={dot}
      type="button"
      data-keyed={keyed}
      aria-label={`${channel} of ${name}: ${SAID[keyed]}`}
      cursor="pointer"
      color="lamp"
      css={{ '&[data-keyed=never]': { color: 'var(--evlay-colors-quiet)' } }}
      onClick={() =>
        perform(editor, toggleChannelKey, { joint, channel, value: heldOf(editor, joint, channel) })
      }
    >
      {MARKS[keyed]}
    </chakra.button>
  );
}
