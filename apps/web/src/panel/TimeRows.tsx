import { Text } from '@chakra-ui/react';
import { type Layer, type LayerTime, LOOPS, type Loop, ownTime } from '@evlay/core';
import { setTime } from '@evlay/core/edit';
import { RotateCcw } from 'lucide-react';
import { Fragment } from 'react';
import { edit, useProject } from '../state/project-store.js';
import { Choice } from '../ui/Choice.js';
import { DragNumber } from '../ui/DragNumber.js';
import { ToolButton } from '../ui/ToolButton.js';
import { Row } from './Row.js';

const LOOP_TITLES: Record<Loop, string> = {
  none: 'Plays once; its ends hold',
  repeat: 'Starts over after every cycle',
  travel: 'Starts over, and the root goes on from where it came to',
};

/** When the content of the lit layer plays: shifted, faster or slower, and looped over its cycle. */
export function TimeRows({ layer }: { layer: Layer }) {
  const fps = useProject((project) => project.fps);
  const take = useProject((project) => project.takes.find(({ id }) => id === layer.take?.id));
  const set = (values: Partial<LayerTime>, drag?: symbol) =>
    edit((project) => setTime(project, layer.id, values), drag);
  if (!layer.time) {
    return (
      <Row label="time">
        <Text>as it is</Text>
        <Choice on={false} disabled={layer.locked} onClick={() => set({})}>
          shift
        </Choice>
        <Choice on={false} disabled={layer.locked} onClick={() => set({ loop: 'repeat' })}>
          loop
        </Choice>
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
          disabled={layer.locked}
          onChange={(value, { drag }) => set({ offset: Math.round(value) }, drag)}
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
          disabled={layer.locked}
          onChange={(value, { drag }) => set({ speed: value }, drag)}
        />
        <ToolButton
          label="Let the content play as it is"
          icon={RotateCcw}
          disabled={layer.locked}
          onClick={() => edit((project) => setTime(project, layer.id, undefined))}
        />
      </Row>
      <Row label="loop">
        {LOOPS.map((kind) => (
          <Choice
            key={kind}
            on={loop === kind}
            title={LOOP_TITLES[kind]}
            disabled={layer.locked}
            onClick={() => set({ loop: kind })}
          >
            {kind}
          </Choice>
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
                disabled={layer.locked}
                onChange={(value, { drag }) => {
                  const [from, to] = cycle ?? ends;
                  set({ cycle: k === 0 ? [Math.min(value, to), to] : [from, Math.max(value, from)] }, drag);
                }}
              />
            </Fragment>
          ))}
      </Row>
    </>
  );
}
