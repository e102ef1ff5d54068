import { Box, Text } from '@chakra-ui/react';
import type { Layer } from '@evlay/core';
import { layerById } from '@evlay/core';
import { ArrowDownToLine, Combine, CopyPlus, Eraser, Scissors, Waypoints } from 'lucide-react';
import { useState } from 'react';
import { bringJointsOut, clearPicked, deleteIdle, joinBelow } from '../../commands/stack/contents.js';
import { convert, shiftTheWeight } from '../../commands/stack/converting.js';
import { openCrossings } from '../../commands/stack/crossings.js';
import { fadeAtKeys, handOverLayers } from '../../commands/stack/hand-over.js';
import { pickedLayers } from '../../commands/stack/picked-layers.js';
import { type BorderWidth, soften } from '../../commands/stack/weighing.js';
import { CommandButton, CommandChoice } from '../../controls/CommandButton.js';
import { DragNumber, LocalNumber } from '../../controls/DragNumber.js';
import { frameUnits } from '../../controls/units.js';
import { useEditor, useFirst, useProject, useSession } from '../../editor/context.js';
import { Choice } from '../../ui/Choice.js';
import { Fold } from '../../ui/Fold.js';
import { Row } from '../../ui/Row.js';

/** How layers go over into each other: borders between parts, from one to another, around keys, in other modes. */
export function BlendRows({ layer }: { layer: Layer }) {
  return (
    <Fold name="Blending" what="soft borders, hand-over, fades, conversions">
      {layer.mask && <BorderRow />}
      <HandOverRow layer={layer} />
      {layer.mode === 'override' && layer.content.kind === 'curves' && <FadeRow />}
      {layer.content.kind !== 'nothing' && <WeightRow layer={layer} />}
      <ContentRow />
    </Fold>
  );
}

/** How far the borders between parts spread. */
function BorderRow() {
  const border = useSession((state) => state.timing.border);
  const inJoints = 'joints' in border;
  const wide = inJoints ? border.joints : border.centimetres;
  const of = (value: number, joints: boolean): BorderWidth =>
    joints ? { joints: value } : { centimetres: value };
  return (
    <Row label="border">
      <Text color="quiet">soft over</Text>
      <DragNumber
        label="Over how much the borders between parts are soft"
        read={() => wide}
        min={0}
        max={inJoints ? 40 : 400}
        step={inJoints ? 0.05 : 0.5}
        decimals={inJoints ? 1 : 0}
        width="40px"
        command={soften}
        to={(value) => of(value, inJoints)}
      />
      {(['joints', 'cm'] as const).map((unit) => (
        <CommandChoice
          key={unit}
          command={soften}
          arg={of(unit === 'joints' ? 4 : 20, unit === 'joints')}
          on={inJoints === (unit === 'joints')}
          title={`Softens the borders over ${unit === 'joints' ? 'four joints' : '20 cm'}`}
        >
          {unit}
        </CommandChoice>
      ))}
      <Box flex="1" />
      <CommandChoice command={soften} arg={of(0, inJoints)} on={false} title="Makes the borders hard again">
        hard
      </CommandChoice>
    </Row>
  );
}

/** One performance hands over to another: two picked layers, or the lit one and what lies below. */
function HandOverRow({ layer }: { layer: Layer }) {
  const editor = useEditor();
  const fps = useProject((project) => project.fps);
  const range = useProject((project) => project.range);
  useSession((state) => state.layers);
  const parts = useSession((state) => state.parts);
  const [ends, setEnds] = useState<readonly [number, number]>();
  const [byPart, setByPart] = useState(false);
  const middle = Math.round((range[0] + range[1]) / 2);
  const long = useSession((state) => state.timing.handOver);
  const start = middle - Math.round(long / 2);
  const [first, last] = ends ?? [start, start + long];
  const picked = pickedLayers(editor);
  const name = (id: string | undefined) => layerById(editor.history.project(), id ?? '')?.name ?? '';
  const [lower, upper] =
    picked.length === 2 ? [name(picked[0]), name(picked[1])] : ['what is below', layer.name];
  const zero = useFirst();
  const end = (label: string, k: 0 | 1) => (
    <LocalNumber
      label={label}
      read={() => [first, last][k]}
      step={0.5}
      decimals={0}
      units={frameUnits(fps)}
      origin={zero}
      width="42px"
      onChange={(value) =>
        setEnds(
          k === 0
            ? [Math.round(value), Math.max(Math.round(value) + 1, last)]
            : [Math.min(first, Math.round(value) - 1), Math.round(value)],
        )
      }
    />
  );
  const wish = (rises: boolean) => ({ range: [first, last] as const, rises, byPart });
  return (
    <>
      <Row label="hand over">
        {end('Hand over from frame', 0)}
        <Text color="quiet">to</Text>
        {end('Hand over to frame', 1)}
        <Box flex="1" />
        <Choice
          on={byPart}
          title="Hands over the parts that are picked on the body map alone"
          onClick={() => setByPart(!byPart)}
        >
          {byPart && parts.length > 0 ? `${parts.length} parts` : 'by part'}
        </Choice>
      </Row>
      <Row label="">
        <CommandButton command={openCrossings} arg={undefined} icon={Waypoints} />
        <CommandChoice
          command={handOverLayers}
          arg={wish(true)}
          on={false}
          title={`From “${lower}” to “${upper}”`}
        >
          to {upper}
        </CommandChoice>
        <CommandChoice
          command={handOverLayers}
          arg={wish(false)}
          on={false}
          title={`From “${upper}” to “${lower}”`}
        >
          to {lower}
        </CommandChoice>
      </Row>
    </>
  );
}

/** The layer counts around picked keys alone. */
function FadeRow() {
  const fps = useProject((project) => project.fps);
  const fades = useSession((state) => state.timing.fades);
  const number = (label: string, field: 'before' | 'hold' | 'after') => (
    <DragNumber
      label={label}
      read={() => fades[field]}
      min={0}
      step={0.1}
      decimals={0}
      units={frameUnits(fps)}
      width="28px"
      command={fadeAtKeys}
      to={(value) => ({ [field]: Math.round(value) })}
    />
  );
  return (
    <>
      <Row label="fades">
        <Text color="quiet">in</Text>
        {number('Frames over which the layer comes to a picked key', 'before')}
        <Text color="quiet">hold</Text>
        {number('Frames for which the layer stays behind the last picked key', 'hold')}
        <Text color="quiet">out</Text>
        {number('Frames over which the layer goes from a picked key', 'after')}
        <Text color="quiet">frames</Text>
      </Row>
      <Row label="">
        <CommandChoice
          command={fadeAtKeys}
          arg={{ asOne: !fades.asOne }}
          on={!fades.asOne}
          title="Each picked key fades by itself; else the layer stays between keys that follow one another"
        >
          each by itself
        </CommandChoice>
        <CommandChoice
          command={fadeAtKeys}
          arg={{}}
          on={false}
          title="Lets the layer count around the picked keys, as keys of the weights of their parts; earlier fades stay"
        >
          fade
        </CommandChoice>
      </Row>
    </>
  );
}

/** The weight goes into the keys, or the keys into the weight; what is seen stays. */
function WeightRow({ layer }: { layer: Layer }) {
  const of = <V,>(values: V) => ({ layer: layer.id, ...values });
  const other = layer.mode === 'additive' ? 'override' : 'additive';
  return (
    <Row label="keep">
      <CommandChoice
        command={convert}
        arg={of({ weight: 1 as const })}
        on={false}
        title="Folds the weight into the keys: the layer weighs 1 and the motion stays"
      >
        weight 1
      </CommandChoice>
      <CommandChoice
        command={shiftTheWeight}
        arg={of({ factor: 0.5 })}
        on={false}
        title="Halves the weight and doubles the keys: there is room to turn it up"
      >
        ½
      </CommandChoice>
      <CommandChoice
        command={shiftTheWeight}
        arg={of({ factor: 2 })}
        on={false}
        title="Doubles the weight and halves the keys"
      >
        ×2
      </CommandChoice>
      <CommandChoice
        command={convert}
        arg={of({ mode: other } as const)}
        on={false}
        title={`Makes it ${other} with other keys: the motion stays`}
      >
        as {other}
      </CommandChoice>
    </Row>
  );
}

/** What is on the layer goes elsewhere. */
function ContentRow() {
  return (
    <Row label="content">
      <CommandButton
        command={bringJointsOut}
        arg="move"
        label="Move the picked joints out into a new layer"
        icon={Scissors}
      />
      <CommandButton
        command={bringJointsOut}
        arg="copy"
        label="Copy the picked joints out into a new layer"
        icon={CopyPlus}
      />
      <CommandButton command={joinBelow} arg={{ anyway: false }} icon={ArrowDownToLine} />
      <CommandButton command={clearPicked} arg={undefined} icon={Eraser} />
      <Box flex="1" />
      <CommandButton command={deleteIdle} arg={undefined} icon={Combine} />
    </Row>
  );
}
