import { Text } from '@chakra-ui/react';
import { type Layer, type LayerTime, LOOPS, type Loop, layerById, ownTime, takeOf } from '@evlay/core';
import { type LoopGap, loopGap } from '@evlay/core/evaluate';
import { RotateCcw } from 'lucide-react';
import { Fragment, type ReactNode, useMemo } from 'react';
import { perform } from '../../commands/command.js';
import { closeGap, keyRepeats, loopPicked } from '../../commands/keys/timing.js';
import { changeTime } from '../../commands/stack/layer-values.js';
import { setView } from '../../commands/view/view.js';
import { CommandButton, CommandChoice } from '../../controls/CommandButton.js';
import { DragNumber, LocalNumber } from '../../controls/DragNumber.js';
import { frameUnits } from '../../controls/units.js';
import {
  useCalmProject,
  useEditor,
  useFirst,
  useLayerNow,
  useProject,
  useSession,
} from '../../editor/context.js';
import { Row } from '../../ui/Row.js';

const LOOP_TITLES: Record<Loop, string> = {
  none: 'Plays once; its ends hold',
  repeat: 'Starts over after every cycle',
  travel: 'Starts over, and the root goes on from where it came to',
};

/** When the content of the lit layer plays: shifted, faster or slower, and looped over its cycle. */
export function TimeRows({ layer }: { layer: Layer }) {
  const fps = useProject((project) => project.fps);
  const zero = useFirst();
  const take = useProject((project) => project.takes.find(({ id }) => id === takeOf(layer)?.take));
  const timed = (time: Partial<LayerTime>) => ({ layer: layer.id, time });
  const now = useLayerNow(layer);
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
  const { loop } = layer.time;
  const time = () => now().time ?? layer.time!;
  const ends = () => {
    const own = ownTime({ ...now(), time: { ...time(), loop: 'repeat' } }, take, fps);
    return [own.start, own.start + own.length] as const;
  };
  return (
    <>
      <Row label="time">
        <Text color="quiet">starts at</Text>
        <DragNumber
          label="Frame at which the content starts"
          read={() => time().offset}
          live
          step={1}
          decimals={0}
          units={frameUnits(fps)}
          origin={zero}
          width="44px"
          command={changeTime}
          to={(value) => timed({ offset: Math.round(value) })}
        />
        <Text color="quiet" ml="1">
          speed
        </Text>
        <DragNumber
          label="Speed of the content"
          read={() => time().speed}
          live
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
      </Row>
      {loop !== 'none' && (
        <LoopRow layer={layer}>
          {([0, 1] as const).map((k) => (
            <Fragment key={k}>
              {k === 1 && <Text color="quiet">–</Text>}
              <DragNumber
                label={k === 0 ? 'Cycle from own frame' : 'Cycle to own frame'}
                read={() => ends()[k]}
                live
                step={1}
                decimals={0}
                units={frameUnits(fps)}
                width="34px"
                command={changeTime}
                to={(value) => {
                  const [from, to] = time().cycle ?? ends();
                  return timed({
                    cycle: k === 0 ? [Math.min(value, to), to] : [from, Math.max(value, from)],
                  });
                }}
              />
            </Fragment>
          ))}
        </LoopRow>
      )}
      {loop !== 'none' && <CloseRow layer={layer} />}
    </>
  );
}

/** Degrees and metres from which on a gap can be seen. */
const SEEN = { degrees: 0.1, metres: 0.001 };

/** Over which frames a loop goes, and how far it is from closing. */
function LoopRow({ layer: shown, children }: { layer: Layer; children: ReactNode }) {
  const project = useCalmProject((current) => current);
  const layer = layerById(project, shown.id) ?? shown;
  const { range, metresPerUnit } = project;
  // The gap depends on the content and the cycle, not on how much of it counts.
  // biome-ignore lint/correctness/useExhaustiveDependencies: takes, rig and rate are all that is read of the project
  const gap = useMemo(
    () => loopGap(project, layer),
    [project.takes, project.rig, project.fps, layer.content, layer.time, layer.mode],
  );
  const { offset, speed, cycle } = layer.time ?? shown.time!;
  const ofRange = range.map((frame) => (frame - offset) * speed).sort((a, b) => a - b);
  const ranged: readonly [number, number] = [ofRange[0], ofRange[1]];
  const over = (next: LayerTime['cycle']) => ({ layer: layer.id, time: { cycle: next } });
  const wide = gap && (gap.degrees > SEEN.degrees || gap.distance * metresPerUnit > SEEN.metres);
  return (
    <>
      <Row label="cycle">
        <CommandChoice
          command={changeTime}
          arg={over(undefined)}
          on={cycle === undefined}
          title={takeOf(layer) ? 'The whole take' : 'From the first key of the layer to the last'}
        >
          {takeOf(layer) ? 'take' : 'keys'}
        </CommandChoice>
        <CommandChoice
          command={changeTime}
          arg={over(ranged)}
          on={cycle !== undefined && Math.abs(cycle[0] - ranged[0]) + Math.abs(cycle[1] - ranged[1]) < 1e-6}
          title="The range of the project: keys are continued over its seam"
        >
          range
        </CommandChoice>
        <CommandChoice
          command={loopPicked}
          arg={undefined}
          on={false}
          title="From the first picked key to the last"
        >
          picked
        </CommandChoice>
        {children}
      </Row>
      {gap && (
        <Row label="gap">
          <Text
            color={wide ? 'alarm' : 'quiet'}
            truncate
            role="status"
            aria-label="Gap of the loop"
            title={`Where the cycle starts over, ${gap.turned || 'no joint'} turns by ${gap.degrees.toFixed(2)} degrees and ${gap.moved || 'no joint'} jumps by ${(gap.distance * metresPerUnit * 100).toFixed(2)} cm`}
          >
            {wide ? gapText(gap, metresPerUnit) : 'closes'}
          </Text>
        </Row>
      )}
    </>
  );
}

const CLOSES = {
  curves: 'Spreads the gap over the last frames of the cycle; the curves meet with one slope',
  take: 'A take that closes is made of this one: the last frames of the cycle are led to its beginning',
};

/** Closes the gap of a loop, or writes the repeats of a keyed one out. */
function CloseRow({ layer }: { layer: Layer }) {
  const editor = useEditor();
  const fps = useProject((project) => project.fps);
  const timing = useSession((state) => state.timing);
  const { kind } = layer.content;
  if (kind !== 'curves' && kind !== 'take') return null;
  return (
    <Row label="">
      <CommandChoice command={closeGap} arg={timing.stretch} on={false} title={CLOSES[kind]}>
        close
      </CommandChoice>
      <Text color="quiet">over the last</Text>
      <LocalNumber
        label="Frames over which the loop is closed"
        read={() => timing.stretch}
        min={1}
        step={0.1}
        decimals={0}
        units={frameUnits(fps)}
        onChange={(stretch) => perform(editor, setView, { timing: { ...timing, stretch } })}
      />
      <Text color="quiet" flex="1">
        frames
      </Text>
      {kind === 'curves' && (
        <CommandChoice
          command={keyRepeats}
          arg={undefined}
          on={false}
          title="Writes the repeats in the range out as keys; the layer loops no more"
        >
          repeats to keys
        </CommandChoice>
      )}
    </Row>
  );
}

function gapText({ degrees, turned, distance, moved }: LoopGap, metresPerUnit: number): string {
  const centimetres = distance * metresPerUnit * 100;
  const turns = degrees > SEEN.degrees ? [`${degrees.toFixed(1)}° in ${turned}`] : [];
  const jumps = centimetres > 100 * SEEN.metres ? [`${centimetres.toFixed(1)} cm in ${moved}`] : [];
  return [...turns, ...jumps].join(', ');
}
