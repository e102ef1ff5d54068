import { chakra, Text } from '@chakra-ui/react';
import { type Applied, type Layer, standingOf } from '@evlay/core';
import { jointIndex } from '@evlay/core/rig';
import { X } from 'lucide-react';
import { perform } from '../../commands/command.js';
import { takeAppliedAway } from '../../commands/keys/applied.js';
import { pickJoints } from '../../commands/poses/picking.js';
import { CommandButton } from '../../controls/CommandButton.js';
import { useEditor } from '../../editor/context.js';
import { Row } from '../../ui/Row.js';

/** What was worked out on the keys of the layer and stands so, by its numbers: a click picks its joints, the cross takes it away. */
export function AppliedRows({ layer }: { layer: Layer }) {
  const editor = useEditor();
  const { rig } = editor.history.project();
  // A walk has rows of its own.
  const standing = standingOf(layer).filter(({ kind }) => kind !== 'walk');
  return standing.map((applied, k) => {
    const { kind, joints } = applied;
    const names = joints.length > 2 ? `${joints[0]} and ${joints.length - 1} more` : joints.join(', ');
    const text = `${numbersOf(applied)} on ${names}`;
    return (
      <Row key={`${kind} ${joints.join()}`} label={k === 0 ? 'applied' : ''}>
        <chakra.button
          type="button"
          flex="1"
          minWidth="0"
          truncate
          textAlign="left"
          cursor="pointer"
          title={`${kind} ${text}: pick its joints, so that its numbers can be changed below`}
          onClick={() =>
            perform(
              editor,
              pickJoints,
              joints.map((name) => jointIndex(rig, name)).filter((j) => j >= 0),
            )
          }
        >
          {kind}{' '}
          <Text as="span" color="quiet">
            {text}
          </Text>
        </chakra.button>
        <CommandButton command={takeAppliedAway} arg={applied} label={`Take the ${kind} away`} icon={X} />
      </Row>
    );
  });
}

const short = (value = 0): string => String(Number(value.toFixed(2)));

/** The numbers that say most. */
function numbersOf({ kind, numbers }: Applied): string {
  if (kind === 'overlap')
    return [
      `${short(numbers.frames)} frames`,
      ...(numbers.growth !== 1 ? [`${short(numbers.growth)} as large`] : []),
    ].join(', ');
  if (kind === 'hold') return 'within 0 and 1';
  if (kind === 'follow') return `${short(numbers.lag)} frames, ${short(numbers.stiffness)} Hz`;
  return [
    ...(numbers.angle > 0 ? [`${short(numbers.angle)}°`] : []),
    ...(numbers.centimetres > 0 ? [`${short(numbers.centimetres)} cm`] : []),
    `${short(numbers.frequency)} Hz`,
  ].join(', ');
}
