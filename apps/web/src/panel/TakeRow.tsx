import { Text } from '@chakra-ui/react';
import { type Layer } from '@evlay/core';
import { setReference } from '@evlay/core/edit';
import { edit, useProject } from '../state/project-store.js';
import { Choice } from '../ui/Choice.js';
import { DragNumber } from '../ui/DragNumber.js';
import { Row } from './Row.js';

/** The take that the lit layer plays, and for an additive layer what it is a change from. */
export function TakeRow({ layer }: { layer: Layer }) {
  const take = useProject((project) => project.takes.find(({ id }) => id === layer.take?.id));
  if (!take || !layer.take) return null;
  const { reference } = layer.take;
  const set = (value: typeof reference, drag?: symbol) =>
    edit((project) => setReference(project, layer.id, value), drag);
  if (layer.mode === 'override') {
    return (
      <Row label="take">
        <Text truncate>{take.name}</Text>
      </Row>
    );
  }
  return (
    <Row label="take">
      <Text truncate title={take.name} minWidth="30px">
        {take.name}
      </Text>
      <Text color="quiet" flex="none">
        since
      </Text>
      <Choice
        on={reference === 'first'}
        title="Adds the change from the first sample"
        disabled={layer.locked}
        onClick={() => set('first')}
      >
        first
      </Choice>
      <Choice
        on={reference === 'rest'}
        title="Adds the change from the rest pose"
        disabled={layer.locked}
        onClick={() => set('rest')}
      >
        rest
      </Choice>
      <Choice
        on={typeof reference === 'number'}
        title="Adds the change from a sample of your choice"
        disabled={layer.locked}
        onClick={() => typeof reference !== 'number' && set(0)}
      >
        sample
      </Choice>
      {typeof reference === 'number' && (
        <DragNumber
          label="Sample that the take is a change from"
          read={() => reference}
          min={0}
          max={take.count - 1}
          step={1}
          decimals={0}
          width="34px"
          disabled={layer.locked}
          onChange={(value, { drag }) => set(Math.round(value), drag)}
        />
      )}
    </Row>
  );
}
