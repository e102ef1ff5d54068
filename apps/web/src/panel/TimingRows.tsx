import { Box, chakra, Text } from '@chakra-ui/react';
import { entryOf, type Layer, layerById, layerIndex } from '@evlay/core';
import { downTheChain } from '@evlay/core/edit';
import { ChevronDown, ChevronRight, Dices, FlipHorizontal2 } from 'lucide-react';
import { useState } from 'react';
import { perform } from '../commands/command.js';
import {
  chainsOf,
  followPicked,
  mirrorLayerMotion,
  noiseOnPicked,
  retimeRange,
  slideKeys,
} from '../commands/timing.js';
import { setView } from '../commands/view.js';
import { CommandButton, CommandChoice } from '../controls/CommandButton.js';
import { DragNumber, LocalNumber } from '../controls/DragNumber.js';
import { frameUnits } from '../controls/units.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import type { TimingNumbers } from '../editor/session.js';
import { Choice } from '../ui/Choice.js';
import { Row } from '../ui/Row.js';

/** What is done with the timing of the lit layer's motion and with motion made by rule; folded away until it is wanted. */
export function TimingRows({ layer }: { layer: Layer }) {
  const [open, setOpen] = useState(false);
  const Icon = open ? ChevronDown : ChevronRight;
  return (
    <>
      <chakra.button
        type="button"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
        display="flex"
        alignItems="center"
        gap="1"
        mt="1"
        mx="-1"
        px="1"
        borderRadius="l1"
        cursor="pointer"
        fontWeight="600"
        _hover={{ bg: 'raised' }}
      >
        <Icon size={14} aria-hidden />
        Timing
        <Text as="span" color="quiet" fontWeight="400" fontSize="12px" truncate>
          overlap, noise, follow, mirror, retime
        </Text>
      </chakra.button>
      {open && (
        <>
          <OverlapRows layer={layer} />
          <NoiseRows />
          <FollowRows />
          <MirrorRow layer={layer} />
          <RetimeRow layer={layer} />
        </>
      )}
    </>
  );
}

/** Changes the numbers that are kept of what is done with timing. */
function useTiming(): [TimingNumbers, (values: Partial<TimingNumbers>) => void] {
  const editor = useEditor();
  const timing = useSession((state) => state.timing);
  return [timing, (values) => perform(editor, setView, { timing: { ...timing, ...values } })];
}

/** Slides the keys of picked joints one after another; their order is written below. */
function OverlapRows({ layer }: { layer: Layer }) {
  const editor = useEditor();
  const fps = useProject((project) => project.fps);
  const picked = useSession((state) => state.picked);
  const [timing, setTiming] = useTiming();
  const project = editor.history.project();
  const keyed = layer.content.kind === 'curves' ? layer.content.channels : {};
  const joints = (timing.downTheChain ? downTheChain(project, picked) : picked).filter((j) =>
    entryOf(keyed, project.rig.joints[j]?.name ?? ''),
  );
  const names = joints.flatMap((j) => project.rig.joints[j]?.name ?? []);
  const from = () => layerById(editor.history.project(), layer.id) ?? layer;
  return (
    <>
      <Row label="overlap">
        <DragNumber
          label="Frames by which each joint is later than the one before"
          read={() => 0}
          step={0.05}
          decimals={2}
          units={frameUnits(fps)}
          width="44px"
          command={slideKeys}
          start={() => ({ joints, frames: 0, growth: timing.growth, from: from() })}
          to={(frames, alt, start) => ({
            joints,
            frames: alt ? Math.round(frames) : frames,
            growth: timing.growth,
            from: start?.from ?? from(),
          })}
        />
        <Text color="quiet">frames</Text>
        <LocalNumber
          label="How large the values of each joint are beside the one before"
          read={() => timing.growth}
          min={0}
          max={4}
          step={0.005}
          decimals={2}
          units={{ '%': 0.01 }}
          onChange={(growth) => setTiming({ growth })}
        />
        <Text color="quiet" whiteSpace="nowrap">
          as large
        </Text>
        <Box flex="1" />
        <Choice
          on={timing.downTheChain}
          title="Joints nearer to the root come first; else in the order in which they were picked"
          onClick={() => setTiming({ downTheChain: !timing.downTheChain })}
        >
          chain
        </Choice>
      </Row>
      <Row label="">
        <Text
          color="quiet"
          fontSize="12px"
          truncate
          title={names.join(' → ')}
          aria-label="Order of the overlap"
        >
          {names.length < 2
            ? 'Pick keyed joints in the order in which they follow each other.'
            : names.map((name, k) => `${k + 1} ${name}`).join(' → ')}
        </Text>
      </Row>
    </>
  );
}

/** Small motion by a seed on the picked joints, written at every change of a number. */
function NoiseRows() {
  const [{ noise }] = useTiming();
  const number = (
    label: string,
    name: 'angle' | 'centimetres' | 'frequency',
    step: number,
    sign: string,
    min: number,
  ) => (
    <>
      <DragNumber
        label={label}
        read={() => noise[name]}
        min={min}
        max={name === 'frequency' ? 15 : 180}
        step={step}
        decimals={1}
        width="38px"
        command={noiseOnPicked}
        to={(value) => ({ [name]: value })}
      />
      <Text color="quiet">{sign}</Text>
    </>
  );
  return (
    <Row label="noise">
      {number('Noise, degrees', 'angle', 0.05, '°', 0)}
      {number('Noise, centimetres', 'centimetres', 0.05, 'cm', 0)}
      {number('Noise, waves a second', 'frequency', 0.02, 'Hz', 0.1)}
      <Box flex="1" />
      <CommandChoice
        command={noiseOnPicked}
        arg={{ everyFrame: !noise.everyFrame }}
        on={noise.everyFrame}
        title="A key at every frame; else where the noise turns"
      >
        every
      </CommandChoice>
      <CommandButton
        command={noiseOnPicked}
        arg={{ seed: noise.seed + 1 }}
        label={`Other noise, after seed ${noise.seed}`}
        icon={Dices}
      />
    </Row>
  );
}

/** How the picked chains follow their tops, written on a layer of their own at every change of a number. */
function FollowRows() {
  const editor = useEditor();
  const [{ follow }] = useTiming();
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
      read={() => follow[name]}
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

/** Motion of one side on the other one, at once or later. */
function MirrorRow({ layer }: { layer: Layer }) {
  const fps = useProject((project) => project.fps);
  const cycle = useProject((project) => {
    const time = project.layers[layerIndex(project, layer.id)]?.time;
    return time && time.loop !== 'none' && time.cycle
      ? Math.abs((time.cycle[1] - time.cycle[0]) / (time.speed || 1))
      : undefined;
  });
  const [timing, setTiming] = useTiming();
  return (
    <Row label="mirror">
      <CommandButton
        command={mirrorLayerMotion}
        arg="all"
        label="Let both sides change places"
        icon={FlipHorizontal2}
      />
      <CommandChoice
        command={mirrorLayerMotion}
        arg="picked"
        on={false}
        title="What the picked joints do the other side does too"
      >
        picked
      </CommandChoice>
      <Text color="quiet">later by</Text>
      <LocalNumber
        label="Frames by which mirrored motion comes later"
        read={() => timing.shift}
        step={0.1}
        decimals={1}
        units={frameUnits(fps)}
        onChange={(shift) => setTiming({ shift })}
      />
      {cycle !== undefined && (
        <Choice on={timing.shift === cycle / 2} onClick={() => setTiming({ shift: cycle / 2 })}>
          half a cycle
        </Choice>
      )}
    </Row>
  );
}

/** Makes frames longer or shorter, of the lit layer or of all. */
function RetimeRow({ layer }: { layer: Layer }) {
  const fps = useProject((project) => project.fps);
  const whole = useProject((project) => project.range);
  const [ends, setEnds] = useState<readonly [number, number]>();
  const [factor, setFactor] = useState(1);
  const range = ends ?? whole;
  const [first, last] = range;
  const end = (label: string, k: 0 | 1) => (
    <LocalNumber
      label={label}
      read={() => range[k]}
      step={0.5}
      decimals={0}
      units={frameUnits(fps)}
      width="36px"
      onChange={(value) =>
        setEnds(k === 0 ? [value, Math.max(value, last)] : [Math.min(first, value), value])
      }
    />
  );
  return (
    <>
      <Row label="retime">
        {end('Retime from frame', 0)}
        <Text color="quiet">to</Text>
        {end('Retime to frame', 1)}
      </Row>
      <Row label="">
        <Text color="quiet">×</Text>
        <LocalNumber
          label="How much longer it becomes"
          read={() => factor}
          min={0.05}
          max={20}
          step={0.005}
          decimals={2}
          units={{ '%': 0.01 }}
          width="44px"
          onChange={setFactor}
        />
        <Text color="quiet">=</Text>
        <LocalNumber
          label="How many frames it becomes"
          read={() => (last - first) * factor}
          min={1}
          step={0.5}
          decimals={0}
          units={frameUnits(fps)}
          width="36px"
          onChange={(value) => last > first && setFactor(value / (last - first))}
        />
        <CommandChoice
          command={retimeRange}
          arg={{ range, factor, layer: layer.id }}
          on={false}
          title="Retimes the lit layer"
        >
          layer
        </CommandChoice>
        <CommandChoice
          command={retimeRange}
          arg={{ range, factor }}
          on={false}
          title="Retimes all layers, the range and the marks"
        >
          all
        </CommandChoice>
      </Row>
    </>
  );
}
