import { Text } from '@chakra-ui/react';
import { type Layer, type LayerTime, LOOPS, type Loop, ownTime, takeOf } from '@evlay/core';
import { RotateCcw } from 'lucide-react';
import { Fragment } from 'react';
import { changeTime } from '../commands/layers.js';
import { CommandButton, CommandChoice } from '../controls/CommandButton.js';
import { DragNumber } from '../controls/DragNumber.js';
import { useProject } from '../editor/context.js';
import { Row } from '../ui/Row.js';

const LOOP_TITLES: Record<Loop, string> = {
  none: 'Plays once; its ends hold',
  repeat: 'Starts over after every cycle',
  travel: 'Starts over, and the root goes on from where it came to',
};

/** When the content of the lit layer plays: shifted, faster or slower, and looped over its cycle. */
export function TimeRows({ layer }: { layer: Layer }) {
  const fps = useProject((project) => project.fps);
  const take = useProject((project) => project.takes.find(({ id }) => id === takeOf(layer)?.take));
  const timed = (time: Partial<LayerTime>) => ({ layer: layer.id, time });
  if (!layer.time) {
    return (
      <Row label="time">
        <Text>as it is</Text>
        <CommandChoice command={changeTime} arg={timed({})} on={false}>
          shift
        </CommandChoice>
        <CommandChoice command={changeTime} arg={timed({ loop: 'repeat' })} on={false}>
          loop
        </CommandChoice>
      </Row>
    );
  }
  const { offset, speed, loop, cycle } = layer.time;
  const own = ownTime({ ...layer, time: { ...layer.time, loop: 'repeat' } }, take, fps);
  const ends = [own.start, own.start + own.length] as const;
  return (
    <>
      <Row label="time">
        <Text color="quiet">starts at</Text>
        <DragNumber
          label="Frame at which the content starts"
          read={() => offset}
          step={1}
          decimals={0}
          width="40px"
          command={changeTime}
          to={(value) => timed({ offset: Math.round(value) })}
        />
        <Text color="quiet" ml="1">
          speed
        </Text>
        <DragNumber
          label="Speed of the content"
          read={() => speed}
          min={-20}
          max={20}
          step={0.01}
          decimals={2}
          width="46px"
          command={changeTime}
          to={(value) => timed({ speed: value })}
        />
        <CommandButton
          command={changeTime}
          arg={{ layer: layer.id, time: undefined }}
          label="Let the content play as it is"
          icon={RotateCcw}
        />
      </Row>
      <Row label="loop">
        {LOOPS.map((kind) => (
          <CommandChoice
            key={kind}
            command={changeTime}
            arg={timed({ loop: kind })}
            on={loop === kind}
            title={LOOP_TITLES[kind]}
          >
            {kind}
          </CommandChoice>
        ))}
        {loop !== 'none' &&
          ([0, 1] as const).map((k) => (
            <Fragment key={k}>
              {k === 1 && <Text color="quiet">–</Text>}
              <DragNumber
                label={k === 0 ? 'Cycle from own frame' : 'Cycle to own frame'}
                read={() => ends[k]}
                step={1}
                decimals={0}
                width="34px"
                command={changeTime}
                to={(value) => {
                  const [from, to] = cycle ?? ends;
                  return timed({
                    cycle: k === 0 ? [Math.min(value, to), to] : [from, Math.max(value, from)],
                  });
                }}
              />
            </Fragment>
          ))}
      </Row>
    </>
  );
}
