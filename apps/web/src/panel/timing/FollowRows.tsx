import { Box, Text } from '@chakra-ui/react';
import { chainsOf, followNow, followPicked } from '../../commands/keys/worked-out.js';
import { CommandChoice } from '../../controls/CommandButton.js';
import { DragNumber } from '../../controls/DragNumber.js';
import { useEditor, useSession } from '../../editor/context.js';
import { Row } from '../../ui/Row.js';
import { useTiming } from './use-timing.js';

/** How the picked chains follow their tops, written on a layer of their own at every change of a number. */
export function FollowRows() {
  const editor = useEditor();
  useTiming();
  const follow = followNow(editor);
  const picked = useSession((state) => state.picked);
  const { rig } = editor.history.project();
  const chains = chainsOf(rig, picked);
  const number = (
    label: string,
    name: 'lag' | 'stiffness' | 'damping' | 'hang',
    step: number,
    [min, max]: readonly [number, number],
  ) => (
    <DragNumber
      label={label}
      read={() => followNow(editor)[name]}
      min={min}
      max={max}
      step={step}
      decimals={name === 'damping' || name === 'hang' ? 2 : 1}
      units={name === 'damping' || name === 'hang' ? { '%': 0.01 } : undefined}
      width="44px"
      command={followPicked}
      to={(value) => ({ [name]: value })}
    />
  );
  return (
    <>
      <Row label="follow">
        {number('Lag of each joint, frames', 'lag', 0.05, [0, 30])}
        <Text color="quiet">frames</Text>
        {number('Stiffness, swings a second', 'stiffness', 0.02, [0.1, 12])}
        <Text color="quiet">Hz</Text>
        <Box flex="1" />
        <CommandChoice
          command={followPicked}
          arg={{ everyFrame: !follow.everyFrame }}
          on={follow.everyFrame}
          title="A key at every frame; else at every third, and where it turns"
        >
          every
        </CommandChoice>
      </Row>
      <Row label="">
        <Text color="quiet">damped</Text>
        {number('Damping; 1 comes to rest without swinging', 'damping', 0.005, [0.02, 3])}
        <Text color="quiet" ml="1">
          hangs
        </Text>
        {number('How much it hangs down', 'hang', 0.005, [0, 1])}
      </Row>
      <Row label="">
        <Text color="quiet" fontSize="12px" truncate flex="1">
          {chains.length === 0
            ? 'Pick a tail, an ear, a rope.'
            : chains.map((chain) => `${rig.joints[chain[1]].name} and ${chain.length - 2} more`).join(', ')}
        </Text>
        <CommandChoice command={followPicked} arg={{}} on={false} title="Writes it on a layer of its own">
          follow
        </CommandChoice>
      </Row>
    </>
  );
}
