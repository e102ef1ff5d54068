import { Text } from '@chakra-ui/react';
import { baseOf, type Layer, type Reference, takeOf } from '@evlay/core';
import { changeReference } from '../../commands/stack/converting.js';
import { keyTheBase } from '../../commands/stack/merging.js';
import { CommandChoice } from '../../controls/CommandButton.js';
import { DragNumber } from '../../controls/DragNumber.js';
import { useLayerNow, useProject } from '../../editor/context.js';
import { Row } from '../../ui/Row.js';

/** The take that the lit layer plays, and for an additive layer what it is a change from. */
export function TakeRow({ layer }: { layer: Layer }) {
  const played = takeOf(layer);
  const now = useLayerNow(layer);
  const take = useProject((project) => project.takes.find(({ id }) => id === played?.take));
  const base = useProject((project) => baseOf(project).id === layer.id);
  if (!take || !played) return null;
  const { reference } = played;
  if (layer.mode === 'override') {
    return (
      <Row label="take">
        <Text truncate>{take.name}</Text>
        {base && (
          <CommandChoice
            command={keyTheBase}
            arg={undefined}
            on={false}
            title="The base holds keys then, that can be worked on; the take stays"
          >
            make keys of it
          </CommandChoice>
        )}
      </Row>
    );
  }
  const choice = (value: Reference, on: boolean, title: string, word: string) => (
    <CommandChoice
      command={changeReference}
      arg={{ layer: layer.id, reference: value }}
      on={on}
      title={title}
    >
      {word}
    </CommandChoice>
  );
  const number = typeof reference === 'number';
  return (
    <Row label="take">
      <Text truncate title={take.name} minWidth="30px">
        {take.name}
      </Text>
      <Text color="quiet" flex="none">
        changed from
      </Text>
      {choice('first', reference === 'first', 'Adds how it differs from its first sample', 'start')}
      {choice('rest', reference === 'rest', 'Adds how it differs from the rest pose', 'rest')}
      {choice(number ? reference : 0, number, 'Adds how it differs from a sample of your choice', 'sample')}
      {number && (
        <DragNumber
          label="Sample that the take is a change from"
          read={() => Number(takeOf(now())?.reference)}
          live
          min={0}
          max={take.count - 1}
          step={1}
          decimals={0}
          width="34px"
          command={changeReference}
          to={(value) => ({ layer: layer.id, reference: Math.round(value) })}
        />
      )}
    </Row>
  );
}
