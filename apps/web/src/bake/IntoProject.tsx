import { Box, Text } from '@chakra-ui/react';
import { type Part, partLabel, partNames } from '@evlay/core/rig';
import { LocalNumber } from '../controls/DragNumber.js';
import { KeyLimitFields } from '../controls/KeyLimitFields.js';
import { useProject } from '../editor/context.js';
import { Choice } from '../ui/Choice.js';
import { Row } from '../ui/Row.js';
import type { BakeSettings } from './settings.js';
import { Section } from './WhatColumn.js';

interface IntoProjectProps {
  readonly settings: BakeSettings;
  /** Whether nothing can be baked now. */
  readonly disabled: boolean;
  readonly onChange: (changes: Partial<BakeSettings>) => void;
  readonly onBakeIn: (as: 'take' | 'layer' | 'base') => void;
  /** What came of it, in words. */
  readonly done: string | undefined;
}

/** A bake that stays in the project: of which joints, on which frames, and what it becomes. */
export function IntoProject({ settings, disabled, onChange, onBakeIn, done }: IntoProjectProps) {
  const names = partNames(useProject((project) => project.parts));
  const { inFrames, nth, parts, limits } = settings;
  const uneven = inFrames === 'keys' || inFrames === 'few';
  const toggled = (part: Part) =>
    parts?.includes(part) ? parts.filter((one) => one !== part) : [...(parts ?? []), part];
  return (
    <Section title="Into the project">
      <Row label="joints">
        <Choice on={parts === undefined} onClick={() => onChange({ parts: undefined })}>
          all
        </Choice>
        <Choice
          on={parts !== undefined}
          title="Those of some parts of the body alone"
          onClick={() => onChange({ parts: parts ?? [] })}
        >
          some
        </Choice>
      </Row>
      {parts && (
        <Box role="group" aria-label="Parts that are baked" display="flex" flexWrap="wrap" gap="1" my="1">
          {names.map((part) => (
            <Choice key={part} on={parts.includes(part)} onClick={() => onChange({ parts: toggled(part) })}>
              {partLabel(part)}
            </Choice>
          ))}
        </Box>
      )}
      <Row label="frames">
        <Choice on={inFrames === 'every'} onClick={() => onChange({ inFrames: 'every' })}>
          every
        </Choice>
        <Choice
          on={inFrames === 'nth'}
          title="Every second, third … frame, counted from the first of the range"
          onClick={() => onChange({ inFrames: 'nth' })}
        >
          every nth
        </Choice>
      </Row>
      <Row label="">
        <Choice
          on={inFrames === 'keys'}
          title="The frames on which a layer that plays has keys, and both ends of the range"
          onClick={() => onChange({ inFrames: 'keys' })}
        >
          with keys
        </Choice>
        <Choice
          on={inFrames === 'few'}
          title="As few keys as keep the motion within some limits"
          onClick={() => onChange({ inFrames: 'few' })}
        >
          few keys
        </Choice>
      </Row>
      {inFrames === 'nth' && (
        <Row label="n">
          <LocalNumber
            label="Frames from one to the next"
            read={() => nth}
            min={1}
            max={1000}
            step={1}
            decimals={0}
            width="50px"
            onChange={(value) => onChange({ nth: Math.max(1, Math.round(value)) })}
          />
          <Text color="quiet">frames apart</Text>
        </Row>
      )}
      {inFrames === 'few' && (
        <Row label="within">
          <KeyLimitFields limits={limits} onChange={(changed) => onChange({ limits: changed })} />
        </Row>
      )}
      <Row label="as">
        <Choice
          on={false}
          disabled={disabled || uneven}
          title={
            uneven
              ? 'A take has samples at even times: choose every frame, or every nth'
              : 'A take of its own; no layer plays it yet'
          }
          onClick={() => onBakeIn('take')}
        >
          a take
        </Choice>
        <Choice
          on={false}
          disabled={disabled}
          title="An override layer above all others, that acts over the range"
          onClick={() => onBakeIn('layer')}
        >
          a layer on top
        </Choice>
      </Row>
      <Row label="">
        <Choice
          on={false}
          disabled={disabled}
          title={`All layers become one base; a base that was keyed stays as a take${parts ? '. Joints of other parts rest' : ''}`}
          onClick={() => onBakeIn('base')}
        >
          a new base
        </Choice>
      </Row>
      {done !== undefined && (
        <Text role="status" mt="1">
          {done}
        </Text>
      )}
    </Section>
  );
}
