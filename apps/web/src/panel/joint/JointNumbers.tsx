import { Box, chakra, Text } from '@chakra-ui/react';
import { type Channel, channelsOf, entryOf, JOINT_CHANNELS, layerById } from '@evlay/core';
import { isFace, memberIndex, memberName, memberNames } from '@evlay/core/rig';
import { Fragment, useEffect, useRef } from 'react';
import { type ChannelChange, setChannel } from '../../commands/keys/channels.js';
import { channelIn, heldOf, poseBelow } from '../../commands/keys/held.js';
import { movesItself } from '../../commands/view/view.js';
import { DragNumber } from '../../controls/DragNumber.js';
import { KeyMark } from '../../controls/KeyMark.js';
import { useCalmProject, useEditor, useProject, useSession } from '../../editor/context.js';
import type { Editor } from '../../editor/editor.js';
import { typedNumber } from '../../ui/number-text.js';
import { type Shape, shapeOf } from './joint-values.js';

/** More joints than these are not listed one by one: the row for all of them sets those too. */
const LISTED = 6;

/** Every channel of the picked joints and face channels: what the lit layer holds, what is below it, and what is seen. */
export function JointNumbers() {
  const picked = useSession((state) => state.picked);
  const faces = useSession((state) => state.faces);
  const stretching = useSession((state) => state.stretching);
  const rig = useProject((project) => project.rig);
  const lit = useSession((state) => state.lit);
  const project = useCalmProject((current) => current);
  const layer = layerById(project, lit);
  const channelsFor = (j: number): readonly Channel[] => {
    if (isFace(rig, j)) return ['m'];
    const keyed = layer && entryOf(channelsOf(layer), rig.joints[j].name);
    return JOINT_CHANNELS.filter(
      (channel) =>
        channel[0] === 'r' ||
        stretching ||
        keyed?.[channel] !== undefined ||
        (channel[0] === 't' && movesItself(project, layer, j)),
    ).sort((a, b) => 'rts'.indexOf(a[0]) - 'rts'.indexOf(b[0]));
  };
  const joints = picked.filter((j) => j < rig.joints.length);
  const shown = [...joints, ...faces.map((name) => memberIndex(rig, name)).filter((j) => j >= 0)];
  // What all that is picked has, one row sets.
  const common: readonly Channel[] =
    joints.length === 0 ? ['m'] : faces.length === 0 ? ['rx', 'ry', 'rz'] : [];
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
          {common.length > 0 && (
            <Heading>{`all ${shown.length} ${joints.length === 0 ? 'face channels' : 'joints'}`}</Heading>
          )}
          {common.map((channel) => (
            <AllRow key={channel} joints={shown} channel={channel} />
          ))}
        </>
      )}
      {listed.map((j) => (
        <Fragment key={j}>
          {shown.length > 1 && <Heading>{memberName(rig, j)}</Heading>}
          {channelsFor(j).map((channel) => (
            <ChannelRow key={channel} joint={j} channel={channel} />
          ))}
        </Fragment>
      ))}
      {shown.length > listed.length && (
        <Heading>{`and ${shown.length - listed.length} more, which the upper rows set too`}</Heading>
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
  const name = useProject((project) => memberNames(project.rig)[joint] ?? '');
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
