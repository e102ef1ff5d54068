import { Box, chakra, Text } from '@chakra-ui/react';
import {
  CHANNELS,
  type Channel,
  channelsOf,
  entryOf,
  layerById,
  layerIndex,
  type Pose,
  restPose,
} from '@evlay/core';
import { nothingOf } from '@evlay/core/edit';
import { applyLayers } from '@evlay/core/evaluate';
import { channelsOfPose } from '@evlay/core/solve';
import { Fragment, useEffect, useRef } from 'react';
import {
  type ChannelChange,
  channelHeld,
  keyedNow,
  setChannel,
  toggleChannelKey,
} from '../commands/channels.js';
import { perform } from '../commands/command.js';
import { movesItself } from '../commands/view.js';
import { DragNumber } from '../controls/DragNumber.js';
import { useCalmProject, useEditor, useProject, useSession } from '../editor/context.js';
import type { Editor } from '../editor/editor.js';
import type { Shown } from '../editor/stage.js';
import { typedNumber, type Units } from '../ui/number-text.js';

/** More joints than these are not listed one by one: the row for all of them sets those too. */
const LISTED = 6;

/** How a channel is shown: its unit, and how much of the rig's own unit that is. */
interface Shape {
  readonly unit: string;
  readonly factor: number;
  readonly step: number;
  readonly decimals: number;
  readonly units: Units;
}

function shapeOf(channel: Channel, metresPerUnit: number): Shape {
  if (channel[0] === 'r') return { unit: '°', factor: 1, step: 0.25, decimals: 1, units: { '°': 1, deg: 1 } };
  if (channel[0] === 's') return { unit: '×', factor: 1, step: 0.005, decimals: 3, units: { '%': 0.01 } };
  const factor = 0.01 / metresPerUnit;
  return { unit: 'cm', factor, step: 0.1, decimals: 1, units: { cm: 1, m: 100, mm: 0.1 } };
}

/** The pose below the lit layer at the playhead, worked out once for each frame that is shown. */
const belowOf = new WeakMap<
  Editor,
  { shown: Shown; stack: unknown; frame: number; lit: string; pose: Pose }
>();

function poseBelow(editor: Editor): Pose {
  const shown = editor.stage.get();
  const { lit } = editor.session.getState();
  const known = belowOf.get(editor);
  if (known?.stack === shown.stack && known.frame === shown.frame && known.lit === lit) return known.pose;
  const pose = restPose(shown.project.rig);
  applyLayers(shown.stack, shown.frame, 0, layerIndex(shown.project, lit), pose);
  belowOf.set(editor, { shown, stack: shown.stack, frame: shown.frame, lit, pose });
  return pose;
}

/** The number of a channel in a pose; degrees for rotations. */
function channelIn(editor: Editor, pose: Pose, joint: number, channel: Channel): number {
  if (channel[0] === 's') return pose.scales[3 * joint + 'xyz'.indexOf(channel[1])];
  return channelsOfPose(editor.stage.get().stack, joint, pose)[channel as 'tx'];
}

/** What the lit layer holds: its own number or, where it has none, what leaves everything as it is. */
function heldOf(editor: Editor, joint: number, channel: Channel): number {
  const held = channelHeld(editor, joint, channel);
  if (held !== undefined) return held;
  const { project } = editor.stage.get();
  return layerById(project, editor.session.getState().lit)?.mode === 'additive'
    ? nothingOf(channel)
    : channelIn(editor, poseBelow(editor), joint, channel);
}

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

/** One channel of all picked joints: a drag adds to all, what is typed is said of each. */
function AllRow({ joints, channel }: { joints: readonly number[]; channel: Channel }) {
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
      <Text color="quiet">
        {channel} {shape.unit}
      </Text>
      <DragNumber
        label={`${channel} of all picked joints`}
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
      <span />
      <span />
      <span />
    </>
  );
}

function ChannelRow({ joint, channel }: { joint: number; channel: Channel }) {
  const editor = useEditor();
  const name = useProject((project) => project.rig.joints[joint].name);
  const metresPerUnit = useProject((project) => project.metresPerUnit);
  const shape = shapeOf(channel, metresPerUnit);
  const text = (value: number) => (value / shape.factor).toFixed(shape.decimals);
  return (
    <>
      <Text color="quiet" whiteSpace="nowrap">
        {channel} {shape.unit}
      </Text>
      <DragNumber
        label={`${channel} of ${name} on the layer`}
        read={() => heldOf(editor, joint, channel) / shape.factor}
        live
        step={shape.step}
        decimals={shape.decimals}
        units={shape.units}
        width="100%"
        command={setChannel}
        to={(value) => ({ channel, values: new Map([[joint, value * shape.factor]]) })}
        toTyped={(typed) => typedFor(editor, [joint], channel, shape, typed)}
      />
      <Live
        label={`${channel} of ${name} below`}
        read={() => text(channelIn(editor, poseBelow(editor), joint, channel))}
      />
      <Live
        label={`${channel} of ${name} as seen`}
        read={() => text(channelIn(editor, editor.stage.get().pose, joint, channel))}
      />
      <KeyDot joint={joint} channel={channel} name={name} />
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

const DOTS = { here: '◆', elsewhere: '◇', never: '·' };
const SAID = { here: 'keyed here', elsewhere: 'keyed at other frames', never: 'not keyed' };

/** Whether a number is keyed; pressed, it keys it or takes the key out. */
function KeyDot({ joint, channel, name }: { joint: number; channel: Channel; name: string }) {
  const editor = useEditor();
  const dot = useRef<HTMLButtonElement>(null);
  useEffect(() => {
    const show = () => {
      const keyed = keyedNow(editor, joint, channel);
      const button = dot.current;
      if (!button || button.dataset.keyed === keyed) return;
      button.dataset.keyed = keyed;
      button.textContent = DOTS[keyed];
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
      {DOTS[keyed]}
    </chakra.button>
  );
}
