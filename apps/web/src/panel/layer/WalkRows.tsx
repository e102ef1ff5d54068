import { Box, Text } from '@chakra-ui/react';
import { type Layer, type LayerWalk, standingOf, walkOf } from '@evlay/core';
import { walkAtEase } from '@evlay/core/edit';
import { froudeNumber, RUNS, strideOf } from '@evlay/core/motion';
import { RotateCcw, TriangleAlert, X } from 'lucide-react';
import { takeAppliedAway } from '../../commands/keys/applied.js';
import { changeWalk } from '../../commands/keys/walk.js';
import { CommandButton, CommandChoice } from '../../controls/CommandButton.js';
import { DragNumber } from '../../controls/DragNumber.js';
import { useProject } from '../../editor/context.js';
import { Row } from '../../ui/Row.js';

/** How near the number is to running when that is said, as a part of it. */
const NEARLY = 0.9;

/** The numbers by which a layer walks; its keys are made anew at every change. */
export function WalkRows({ layer: { id } }: { layer: Layer }) {
  const layer = useProject(({ layers }) => layers.find((one) => one.id === id));
  const project = useProject((current) => current);
  const walk = layer && walkOf(layer);
  const ease = walk && walkAtEase(project);
  if (!walk || !ease) return null;
  const froude = froudeNumber(walk.speed, ease.leg);
  const applied = standingOf(layer).findLast(({ kind }) => kind === 'walk')!;
  const number = (
    name: keyof LayerWalk,
    label: string,
    sign: string,
    { min = 0, max, step, decimals, scale = 1 }: NumberLimits,
  ) => (
    <>
      <DragNumber
        label={label}
        read={() => Number(walk[name]) * scale}
        min={min}
        max={max}
        step={step}
        decimals={decimals}
        width="40px"
        command={changeWalk}
        to={(value) => ({ [name]: value / scale })}
      />
      <Text color="quiet" flex="none">
        {sign}
      </Text>
    </>
  );
  return (
    <Box as="section" aria-label="Walk by rule" display="flex" flexDirection="column" gap="1.5">
      <Row label="walk">
        {number('speed', 'Speed, metres a second', 'm/s', { min: 0.05, max: 5, step: 0.01, decimals: 2 })}
        {number('cadence', 'Steps a minute', 'steps a minute', { min: 20, max: 400, step: 1, decimals: 0 })}
        <CommandButton command={changeWalk} arg={ease.walk} label="Walk at ease again" icon={RotateCcw} />
        <CommandButton command={takeAppliedAway} arg={applied} label="Take the walk away" icon={X} />
      </Row>
      <Row label="stride">
        <DragNumber
          label="Stride of two steps, metres"
          read={() => strideOf(walk)}
          min={0.02}
          max={6}
          step={0.01}
          decimals={2}
          width="40px"
          command={changeWalk}
          to={(value) => ({ speed: (value * walk.cadence) / 120 })}
        />
        <Text color="quiet" flex="none">
          m, stance
        </Text>
        {number('stance', 'Stance, percent of the cycle', '%', {
          min: 52,
          max: 85,
          step: 0.5,
          decimals: 0,
          scale: 100,
        })}
      </Row>
      <Row label="body">
        {number('bounce', 'Bounce of the hips, centimetres', 'cm up', { max: 30, step: 0.05, decimals: 1 })}
        {number('sway', 'Sway of the hips, centimetres', 'aside', { max: 30, step: 0.05, decimals: 1 })}
        {number('lean', 'Lean forward, degrees', '° lean', { min: -30, max: 45, step: 0.2, decimals: 0 })}
      </Row>
      {ease.walk.arms > 0 && (
        <Row label="arms">
          {number('arms', 'Arm swing, degrees', '° from back to front', { max: 120, step: 0.5, decimals: 0 })}
        </Row>
      )}
      <Row label="goes">
        <CommandChoice
          command={changeWalk}
          arg={{ travels: true }}
          on={walk.travels}
          title="The character goes along the floor, cycle after cycle"
        >
          along
        </CommandChoice>
        <CommandChoice
          command={changeWalk}
          arg={{ travels: false }}
          on={!walk.travels}
          title="The character walks on the spot"
        >
          in place
        </CommandChoice>
        <Text color="quiet" flex="1" textAlign="right" title="Speed² by gravity and the length of the legs">
          Froude {froude.toFixed(2)}
        </Text>
      </Row>
      {froude >= NEARLY * RUNS && (
        <Row label="">
          <Box color="lamp" flex="none">
            <TriangleAlert size={13} aria-hidden />
          </Box>
          <Text role="note">
            At this speed one would {ease.walk.arms > 0 ? 'run' : 'trot'}, with such legs.
          </Text>
        </Row>
      )}
    </Box>
  );
}

interface NumberLimits {
  readonly min?: number;
  readonly max: number;
  readonly step: number;
  readonly decimals: number;
  /** What is shown is so many times what is kept. */
  readonly scale?: number;
}
