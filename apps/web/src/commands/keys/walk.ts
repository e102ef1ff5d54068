import { type LayerWalk, walkOf } from '@evlay/core';
import { addWalk, putWalk, walkRefusal } from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { command, type Refusal } from '../command.js';
import { lit, litLayer } from './applied.js';

const noLegs = ({ history }: Editor): Refusal | undefined => {
  const reason = walkRefusal(history.project());
  return reason === undefined ? undefined : { reason };
};

/** Adds a layer that walks by a few numbers, or lets a base that holds nothing walk. */
export const addWalkAboveLit = command({
  name: 'Add a walk by rule',
  palette: 'Layer',
  refusal: noLegs,
  run(editor, _, change) {
    const above = lit(editor);
    let made: string | undefined;
    change((project) => {
      const added = addWalk(project, above);
      made = added?.id;
      return added?.project ?? project;
    });
    if (made !== undefined) editor.session.light(made);
  },
});

/** Changes numbers of the walk of the lit layer: its keys are made anew. */
export const changeWalk = command<Partial<LayerWalk>>({
  name: 'Change the walk',
  layer: lit,
  refusal(editor) {
    const layer = litLayer(editor);
    if (layer && walkOf(layer)) return noLegs(editor);
    return layer?.applied?.some(({ kind }) => kind === 'walk')
      ? { reason: 'Its keys were changed by hand since: add a walk anew' }
      : { reason: 'The layer does not walk by rule' };
  },
  run(editor, values, change) {
    const id = lit(editor);
    change((project) => {
      const layer = project.layers.find((one) => one.id === id);
      const walk = layer && walkOf(layer);
      return walk ? putWalk(project, id, { ...walk, ...values }) : project;
    });
  },
});
