import { Box, chakra, Popover, Portal, Text } from '@chakra-ui/react';
import { rateText, typedRate } from '@evlay/core';
import type { KeysAt } from '@evlay/core/edit';
import { useState } from 'react';
import { perform } from '../../commands/command.js';
import { changeFirst, changeRate } from '../../commands/project/rate.js';
import { LocalNumber } from '../../controls/DragNumber.js';
import { useEditor, useFirst, useProject } from '../../editor/context.js';
import { Choice } from '../../ui/Choice.js';
import { notify } from '../../ui/notify.js';
import { Row } from '../../ui/Row.js';

const USUAL = ['23.976', '24', '25', '29.97', '30', '48', '50', '60', '120'];
const FIRSTS = [0, 1, 1001];
const KEYS: Record<KeysAt, string> = {
  moments: 'Keys stay at their moments, be it between frames',
  'whole frames': 'Each key goes to the whole frame next to it; of several on one the last stays',
};

/** The frames a second of the project and the number of its first frame: both are seen beside the range, and changed here. */
export function RateMenu() {
  const editor = useEditor();
  const fps = useProject((project) => project.fps);
  const first = useFirst();
  const [keys, setKeys] = useState<KeysAt>('moments');
  const to = (text: string) => {
    const rate = typedRate(text);
    if (rate !== undefined) perform(editor, changeRate, { fps: rate, keys });
    else
      notify({
        title: 'Not changed: frames a second',
        text: `“${text.trim().slice(0, 40)}” is no rate; expected a number such as 25 or 23.976, or a fraction such as 24000/1001.`,
      });
  };
  return (
    <Popover.Root positioning={{ placement: 'top-end' }} size="xs" lazyMount unmountOnExit>
      <Popover.Trigger asChild>
        <chakra.button
          type="button"
          aria-label={`${rateText(fps)} frames a second, the first is ${first}`}
          title="Frames a second, and the number of the first frame"
          fontFamily="mono"
          height="24px"
          px="1"
          cursor="pointer"
          borderRadius="l1"
          _hover={{ bg: 'raised', color: 'text' }}
        >
          {rateText(fps)}/s
        </chakra.button>
      </Popover.Trigger>
      <Portal>
        <Popover.Positioner>
          <Popover.Content bg="raised" borderWidth="1px" borderColor="line" width="350px" p="3">
            <Box display="flex" flexDirection="column" gap="2">
              <Row label="rate">
                <chakra.input
                  key={fps}
                  aria-label="Frames a second"
                  defaultValue={rateText(fps)}
                  onKeyDown={(event) => event.key === 'Enter' && to(event.currentTarget.value)}
                  onBlur={({ currentTarget: { value } }) => value !== rateText(fps) && to(value)}
                  width="90px"
                  height="24px"
                  px="1"
                  fontFamily="mono"
                  textAlign="right"
                  bg="ground"
                  borderRadius="l1"
                />
                <Text color="quiet">a second</Text>
              </Row>
              <Box display="flex" flexWrap="wrap" gap="1">
                {USUAL.map((text) => (
                  <Choice key={text} on={rateText(fps) === text} onClick={() => to(text)}>
                    {text}
                  </Choice>
                ))}
              </Box>
              <Row label="keys">
                {(Object.keys(KEYS) as KeysAt[]).map((one) => (
                  <Choice key={one} on={keys === one} title={KEYS[one]} onClick={() => setKeys(one)}>
                    {one === 'moments' ? 'at their moments' : 'on whole frames'}
                  </Choice>
                ))}
              </Row>
              <Row label="first">
                {FIRSTS.map((one) => (
                  <Choice key={one} on={first === one} onClick={() => perform(editor, changeFirst, one)}>
                    {one}
                  </Choice>
                ))}
                <LocalNumber
                  label="Number of the first frame"
                  read={() => first}
                  step={1}
                  decimals={0}
                  width="64px"
                  onChange={(value) => perform(editor, changeFirst, Math.round(value))}
                />
              </Row>
              <Text color="quiet" fontSize="12px">
                Seconds stay as they are. Frame 0 of the project is seen by the number of the first.
              </Text>
            </Box>
          </Popover.Content>
        </Popover.Positioner>
      </Portal>
    </Popover.Root>
  );
}
