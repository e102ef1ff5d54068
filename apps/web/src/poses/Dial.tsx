import { Box, chakra, Text } from '@chakra-ui/react';
import { type KeyboardEvent, type PointerEvent, useState } from 'react';
import { perform } from '../commands/command.js';
import { DIAL_ENDS, type DialEnds, dialPose, dialStart } from '../commands/poses/poses.js';
import { useEditor } from '../editor/context.js';
import { startDrag } from '../gestures/gesture.js';
import { Choice } from '../ui/Choice.js';
import { Row } from '../ui/Row.js';

/** The dial goes past both ends by this much. */
const PAST = 0.5;

const ENDS: Record<DialEnds, { name: string; from: string; to: string; starts: number }> = {
  keys: { name: 'keys', from: 'key before', to: 'key after', starts: 0.5 },
  rest: { name: 'rest', from: 'as it is', to: 'rest', starts: 0 },
  below: { name: 'below', from: 'as it is', to: 'below', starts: 0 },
};

/** The in-between dial: from the key before to the key after, or from the pose that is seen to rest or to what is below. */
export function Dial() {
  const editor = useEditor();
  const [ends, setEnds] = useState<DialEnds>('keys');
  const [amount, setAmount] = useState<number>();
  const { from, to, starts } = ENDS[ends];
  const shown = amount ?? starts;
  const place = (value: number) => `${(100 * (value + PAST)) / (1 + 2 * PAST)}%`;

  const grab = (event: PointerEvent<HTMLDivElement>) => {
    if (event.button !== 0) return;
    const box = event.currentTarget.getBoundingClientRect();
    const start = dialStart(editor);
    const at = (x: number) => {
      const value = ((x - box.left) / box.width) * (1 + 2 * PAST) - PAST;
      const held = Math.min(1 + PAST, Math.max(-PAST, Math.round(value * 100) / 100));
      setAmount(held);
      return { ends, amount: held, ...start };
    };
    startDrag(editor, event, {
      command: dialPose,
      to: (_dx, _dy, move) => at(move.clientX),
      atOnce: at(event.clientX),
      ended: () => setAmount(undefined),
    });
  };

  const press = (event: KeyboardEvent) => {
    const by = { ArrowRight: 0.05, ArrowUp: 0.05, ArrowLeft: -0.05, ArrowDown: -0.05 }[event.key];
    if (by === undefined) return;
    event.preventDefault();
    event.stopPropagation();
    // Towards rest and below every press goes on from what is seen.
    const value = ends === 'keys' ? Math.min(1 + PAST, Math.max(-PAST, shown + by)) : by;
    if (perform(editor, dialPose, { ends, amount: value, ...dialStart(editor) }) && ends === 'keys')
      setAmount(value);
  };

  return (
    <>
      <Row label="dial">
        {DIAL_ENDS.map((one) => (
          <Choice
            key={one}
            on={ends === one}
            title={`From ${ENDS[one].from} to ${ENDS[one].to}`}
            onClick={() => {
              setEnds(one);
              setAmount(undefined);
            }}
          >
            {ENDS[one].name}
          </Choice>
        ))}
        <Text color="quiet" fontFamily="mono" flex="1" textAlign="right">
          {Math.round(100 * shown)} %
        </Text>
      </Row>
      <Box display="flex" alignItems="center" gap="2" fontSize="11px" color="quiet">
        <chakra.div
          role="slider"
          tabIndex={0}
          aria-label={`In-between, from ${from} to ${to}`}
          aria-valuemin={-100 * PAST}
          aria-valuemax={100 * (1 + PAST)}
          aria-valuenow={Math.round(100 * shown)}
          aria-valuetext={`${Math.round(100 * shown)} %`}
          data-does={`Drag from ${from} to ${to}, and past both; arrows: in steps`}
          onPointerDown={grab}
          onKeyDown={press}
          position="relative"
          flex="1"
          height="34px"
          cursor="ew-resize"
          touchAction="none"
          userSelect="none"
        >
          <Box position="absolute" top="9px" left="0" right="0" height="4px" borderRadius="2px" bg="raised" />
          <Box
            position="absolute"
            top="9px"
            left={place(0)}
            right={`calc(100% - ${place(1)})`}
            height="4px"
            bg="line"
          />
          <Box
            position="absolute"
            top="3px"
            left={place(shown)}
            width="10px"
            height="16px"
            ml="-5px"
            borderRadius="3px"
            bg={amount === undefined ? 'quiet' : 'lamp'}
          />
          <Text
            position="absolute"
            top="18px"
            left={place(0)}
            transform="translateX(-50%)"
            whiteSpace="nowrap"
          >
            {from}
          </Text>
          <Text
            position="absolute"
            top="18px"
            left={place(1)}
            transform="translateX(-50%)"
            whiteSpace="nowrap"
          >
            {to}
          </Text>
        </chakra.div>
      </Box>
    </>
  );
}
