import { Box, Text } from '@chakra-ui/react';
import { curveAtAddress, type KeyPick, ownerById } from '@evlay/core';
import { handlesOfSegment, SHAPES } from '@evlay/core/curve';
import { curvesOf, timeOf } from '@evlay/core/edit';
import {
  KeyRound,
  Link2,
  Locate,
  Maximize2,
  MoveHorizontal,
  RotateCcw,
  Ruler,
  Sigma,
  Sparkles,
  Unlink2,
  Waves,
} from 'lucide-react';
import { Fragment, memo } from 'react';
import { perform } from '../commands/command.js';
import {
  breakHandles,
  dragHandle,
  fitCurves,
  flattenKeys,
  giveShape,
  HANDLE_NAMES,
  handleKeys,
  insertHere,
  offsetValues,
  scaleValues,
  simplifyKeys,
  unwindKeys,
} from '../commands/keys/curves.js';
import { setView } from '../commands/view/view.js';
import { CommandButton, CommandChoice } from '../controls/CommandButton.js';
import { DragNumber, LocalNumber } from '../controls/DragNumber.js';
import { useCalmProject, useEditor, useSession } from '../editor/context.js';
import { ToolButton } from '../ui/ToolButton.js';
import { meanOfPicked, shapesOfPicked } from './pick.js';

const SHAPE_TITLES: Readonly<Record<string, string>> = {
  hold: 'The pose is held until the next key',
  linear: 'Straight to the next key',
  smooth: 'Smooth through the key, without going past it',
  soft: 'Comes to rest at the key and gets up softly',
  gentle: 'Comes to rest softly and leaves at once',
  firm: 'Comes to rest and gets up in a short way',
  contact: 'Comes and leaves at full speed, with a soft top between: a bounce',
};

/** What is done with the picked keys among curves, and how curves are shown. */
export const CurveTools = memo(function CurveTools() {
  const editor = useEditor();
  const picks = useSession((state) => state.keys);
  const own = useSession((state) => state.ownScales);
  const together = useSession((state) => state.weightsTogether);
  // What a key is set on depends on the picked joints and the lit layer.
  useSession((state) => state.picked);
  useSession((state) => state.lit);
  const follows = useSession((state) => state.followsPlayhead);
  const show = (values: Parameters<typeof setView.run>[1]) => perform(editor, setView, values);
  return (
    <Box
      role="group"
      aria-label="Shape of curves"
      display="flex"
      alignItems="center"
      gap="1"
      height="30px"
      flex="none"
      px="2"
      borderBottomWidth="1px"
      borderColor="line"
      overflow="hidden"
      fontSize="12px"
    >
      <ToolButton
        label="Each curve to its own scale"
        icon={Ruler}
        on={own}
        onClick={() => show({ ownScales: !own })}
      />
      <ToolButton
        label="The weights of the picked layers together, of all where none are picked, with their sum"
        icon={Sigma}
        on={together}
        onClick={() => show({ weightsTogether: !together })}
      />
      <CommandButton command={fitCurves} arg={undefined} icon={Maximize2} />
      <CommandButton command={insertHere} arg={undefined} icon={KeyRound} />
      <ToolButton
        label="Let the time axis follow the playhead"
        icon={Locate}
        on={follows}
        onClick={() => show({ followsPlayhead: !follows })}
      />
      <Box width="1px" height="18px" bg="line" mx="1" />
      {picks.length === 0 ? (
        <Text color="quiet" truncate>
          Click a key, or drag a box; double click on a curve sets a key there.
        </Text>
      ) : (
        <PickedTools picks={picks} />
      )}
    </Box>
  );
});

function PickedTools({ picks }: { picks: readonly KeyPick[] }) {
  const editor = useEditor();
  const shapes = useCalmProject((project) => shapesOfPicked(project, picks).join(' '));
  const timing = useSession((state) => state.timing);
  const single = picks.length === 1 && picks[0].keys.length === 1;
  const before = () => curvesOf(editor.history.project(), picks);
  return (
    <>
      {SHAPES.map((shape) => (
        <CommandChoice
          key={shape}
          command={giveShape}
          arg={shape}
          on={shapes === shape}
          title={SHAPE_TITLES[shape]}
        >
          {shape}
        </CommandChoice>
      ))}
      <Box width="1px" height="18px" bg="line" mx="1" />
      <CommandButton command={handleKeys} arg="automatic" label={HANDLE_NAMES.automatic} icon={Sparkles} />
      <CommandButton command={handleKeys} arg="flat" label={HANDLE_NAMES.flat} icon={MoveHorizontal} />
      <CommandButton command={handleKeys} arg="joined" label={HANDLE_NAMES.joined} icon={Link2} />
      <CommandButton command={breakHandles} arg={undefined} icon={Unlink2} />
      <Box width="1px" height="18px" bg="line" mx="1" />
      <CommandButton command={simplifyKeys} arg={timing.tolerance} icon={Waves} />
      <LocalNumber
        label="How far the curve may pass from what it was: degrees, centimetres, hundredths"
        read={() => timing.tolerance}
        min={0.01}
        step={0.01}
        decimals={2}
        width="40px"
        onChange={(tolerance) => perform(editor, setView, { timing: { ...timing, tolerance } })}
      />
      <CommandButton command={unwindKeys} arg={undefined} icon={RotateCcw} />
      <Text color="quiet" ml="1">
        value
      </Text>
      <DragNumber
        label="Mean value of the picked keys"
        read={() => meanOfPicked(editor.history.project(), picks)}
        live
        step={0.1}
        decimals={2}
        width="56px"
        command={offsetValues}
        start={() => ({ picks, value: meanOfPicked(editor.history.project(), picks), before: before() })}
        to={(value, _, from) => {
          const start = from?.value ?? meanOfPicked(editor.history.project(), picks);
          return { picks, value: value - start, before: from?.before ?? before() };
        }}
      />
      {single ? <HandleNumbers picks={picks} /> : <SpreadNumbers picks={picks} />}
    </>
  );
}

/** How far the values of several keys lie apart: scaled about their mean, or brought towards it on each curve. */
function SpreadNumbers({ picks }: { picks: readonly KeyPick[] }) {
  const editor = useEditor();
  const before = () => curvesOf(editor.history.project(), picks);
  return (
    <>
      <Text color="quiet">scaled</Text>
      <DragNumber
        label="Scale of the values of the picked keys about their mean, with Alt about 0"
        read={() => 1}
        step={0.005}
        decimals={2}
        width="40px"
        units={{ '%': 0.01 }}
        command={scaleValues}
        start={() => ({
          picks,
          factor: 1,
          about: meanOfPicked(editor.history.project(), picks),
          before: before(),
        })}
        to={(factor, alt, from) => ({
          picks,
          factor,
          about: alt ? 0 : (from?.about ?? meanOfPicked(editor.history.project(), picks)),
          before: from?.before ?? before(),
        })}
      />
      <Text color="quiet">flat</Text>
      <DragNumber
        label="Flatten the picked keys of each curve towards their mean"
        read={() => 0}
        min={-2}
        max={1}
        step={0.005}
        decimals={2}
        width="40px"
        units={{ '%': 0.01 }}
        command={flattenKeys}
        start={() => ({ picks, amount: 0, before: before() })}
        to={(amount, _, from) => ({ picks, amount, before: from?.before ?? before() })}
      />
    </>
  );
}

/** The handles of the one key that is picked: frames and values by which they are away from it. */
function HandleNumbers({ picks }: { picks: readonly KeyPick[] }) {
  const editor = useEditor();
  const [{ address, keys: ids }] = picks;
  const found = () => {
    const layer = ownerById(editor.history.project(), address.layer);
    const keys = (layer && curveAtAddress(layer, address))?.keys ?? [];
    return { keys, i: keys.findIndex(({ id }) => id === ids[0]) };
  };
  const handle = (side: 'in' | 'out') => {
    const { keys, i } = found();
    const segment = side === 'in' ? i - 1 : i;
    if (i < 0 || segment < 0 || segment + 1 >= keys.length || keys[segment].ease === 'hold') return undefined;
    const [frames, value] = handlesOfSegment(keys, segment)[side];
    return [frames / speed, value] as const;
  };
  // Frames are the project's, as those of keys are.
  const project = editor.history.project();
  const layer = ownerById(project, address.layer);
  const speed = (layer && timeOf(project, layer, address).speed) || 1;
  return (['in', 'out'] as const)
    .filter((side) => handle(side))
    .map((side) => (
      <Fragment key={side}>
        <Text color="quiet" ml="1">
          {side}
        </Text>
        {([0, 1] as const).map((which) => (
          <DragNumber
            key={which}
            label={`Handle ${side} of the key, ${which === 0 ? 'frames' : 'value'}`}
            read={() => handle(side)?.[which] ?? 0}
            live
            step={which === 0 ? 0.05 : 0.1}
            decimals={2}
            width="48px"
            command={dragHandle}
            to={(value) => {
              const [frames, rise] = handle(side) ?? [0, 0];
              return {
                address,
                key: ids[0],
                side,
                handle: which === 0 ? ([value * speed, rise] as const) : ([frames * speed, value] as const),
                joined: false,
              };
            }}
          />
        ))}
      </Fragment>
    ));
}
