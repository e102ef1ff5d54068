import { Text } from '@chakra-ui/react';
import { FINDING_LIMITS, type FindingLimits, GRADED, type Graded } from '@evlay/core';
import { RotateCcw } from 'lucide-react';
import { changeLimits } from '../../commands/keys/limits.js';
import { CommandButton } from '../../controls/CommandButton.js';
import { DragNumber } from '../../controls/DragNumber.js';
import { useProject } from '../../editor/context.js';
import { Fold } from '../../ui/Fold.js';

const NAMES: Record<Graded, readonly [name: string, unit: string]> = {
  slide: ['a foot slides', 'cm'],
  floor: ['off the floor', 'cm'],
  range: ['beyond its takes', '°'],
  backwards: ['bent backwards', '°'],
  stretch: ['short of a goal', 'cm'],
  pop: ['a joint pops', 'm/s²'],
  through: ['through each other', 'cm'],
  loop: ['a loop jumps', '°, cm'],
};

const GRADE_WORDS = ['note', 'warning', 'fault'] as const;

/** From which amounts on something is a note, a warning, a fault. */
export function FindingLimitsRows() {
  const said = useProject((project) => project.limits);
  const limits = said ?? FINDING_LIMITS;
  return (
    <Fold name="Limits" what={said ? 'of this project' : 'the usual ones: note, warning, fault'}>
      {GRADED.map((kind) => (
        <LimitRow key={kind} kind={kind} limits={limits} />
      ))}
      {said && (
        <Text display="flex" alignItems="center" color="quiet">
          <CommandButton
            command={changeLimits}
            arg={undefined}
            label="Take the usual limits again"
            icon={RotateCcw}
          />
          the usual ones
        </Text>
      )}
    </Fold>
  );
}

function LimitRow({ kind, limits }: { kind: Graded; limits: FindingLimits }) {
  const [name, unit] = NAMES[kind];
  const small = limits[kind][0] < 5;
  return (
    <Text as="div" display="flex" alignItems="center" gap="1" minHeight="24px">
      <Text as="span" flex="1" truncate>
        {name}
      </Text>
      {GRADE_WORDS.map((word, k) => (
        <DragNumber
          key={word}
          label={`${name}: from which amount on it is a ${word}, ${unit}`}
          read={() => limits[kind][k]}
          min={0}
          step={small ? 0.1 : 1}
          decimals={small ? 1 : 0}
          width="44px"
          command={changeLimits}
          to={(value) => ({
            ...limits,
            [kind]: limits[kind].map((old, i) =>
              i === k ? value : i < k ? Math.min(old, value) : Math.max(old, value),
            ) as unknown as FindingLimits[Graded],
          })}
        />
      ))}
      <Text as="span" color="quiet" width="38px">
        {unit}
      </Text>
    </Text>
  );
}
