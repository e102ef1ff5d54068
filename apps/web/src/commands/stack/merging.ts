import { baseOf, layerIndex, type Project } from '@evlay/core';
import { planMerge } from '@evlay/core/bake';
import { type MergedRun, putMerged } from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { command, type Refusal } from '../command.js';
import { endPreview } from './crossings.js';
import { pickedLayers } from './picked-layers.js';

/** The ends of a run of layers, by their ids. */
export interface Run {
  readonly from: string;
  readonly to: string;
}

/** The places of a run's ends in the stack, the lower one first. */
export function placesOf(project: Project, { from, to }: Run): readonly [number, number] {
  const [a, b] = [layerIndex(project, from), layerIndex(project, to)];
  return a < b ? [a, b] : [b, a];
}

function refusalOf({ history, session }: Editor, run: Run): Refusal | undefined {
  const project = history.project();
  const { variant } = session.getState();
  if (variant !== undefined)
    return {
      reason: `The variant “${variant}” is shown: leave it first, since variants say nothing of merged layers`,
    };
  const plan = planMerge(project, ...placesOf(project, run));
  return typeof plan === 'string' ? { reason: plan } : undefined;
}

/** The picked layers from the lowest to the topmost; of one that is picked alone, it and the one below. */
function runOf(editor: Editor): Run | undefined {
  const { layers } = editor.history.project();
  const picked = pickedLayers(editor);
  const last = picked[picked.length - 1];
  if (picked.length > 1) return { from: picked[0], to: last };
  const index = layerIndex(editor.history.project(), last);
  return index > 0 ? { from: layers[index - 1].id, to: last } : undefined;
}

function look(editor: Editor, merging: Run): void {
  endPreview(editor);
  editor.session.setState({ merging, crossing: undefined });
}

/** Shows what the lit layer and the one below, or the run of picked layers, would become as one. */
export const mergeDown = command({
  name: 'Merge with the layer below',
  palette: 'Layer',
  looks: true,
  refusal(editor) {
    const run = runOf(editor);
    return run
      ? refusalOf(editor, run)
      : { reason: 'Nothing lies below the base: light the layer that is to be merged into it' };
  },
  run: (editor) => look(editor, runOf(editor)!),
});

/** Shows what the base alone would be as keys that can be worked on. */
export const keyTheBase = command({
  name: 'Make keys of the base',
  palette: 'Layer',
  looks: true,
  refusal: (editor) => refusalOf(editor, baseAlone(editor)),
  run: (editor) => look(editor, baseAlone(editor)),
});

const baseAlone = ({ history }: Editor): Run => {
  const { id } = baseOf(history.project());
  return { from: id, to: id };
};

/** Shows what the layers of a group would become as one. */
export const mergeGroup = command<string>({
  name: 'Merge the layers of the group',
  looks: true,
  refusal(editor, group) {
    const run = runOfGroup(editor.history.project(), group);
    return run ? refusalOf(editor, run) : { reason: 'The group has no layers' };
  },
  run: (editor, group) => look(editor, runOfGroup(editor.history.project(), group)!),
});

function runOfGroup({ layers }: Project, group: string): Run | undefined {
  const ids = layers.flatMap((layer) => (layer.group === group ? [layer.id] : []));
  return ids.length > 0 ? { from: ids[0], to: ids[ids.length - 1] } : undefined;
}

/** Shows what all layers together would become as a new base. */
export const mergeAll = command({
  name: 'Merge everything into a new base',
  palette: 'Layer',
  looks: true,
  refusal: (editor) => refusalOf(editor, wholeStack(editor.history.project())),
  run: (editor) => look(editor, wholeStack(editor.history.project())),
});

const wholeStack = (project: Project): Run => ({ from: baseOf(project).id, to: project.layers.at(-1)!.id });

/** Looks at another run. */
export const mergeRun = command<Run>({
  name: 'Merge these layers',
  looks: true,
  run: look,
});

export const closeMerging = command({
  name: 'Leave the layers as they are',
  palette: 'Layer',
  looks: true,
  run: ({ session }) => session.setState({ merging: undefined }),
});

/** Puts what a run becomes in its place, as one step. */
export const putMerge = command<{ readonly run: Run; readonly result: MergedRun; readonly of: Project }>({
  name: 'Merge',
  refusal(editor, { run, of }) {
    return editor.history.project() === of
      ? refusalOf(editor, run)
      : { reason: 'The stack has changed meanwhile: look at the new preview first' };
  },
  run({ session, history }, { run, result }, change) {
    const [from, to] = placesOf(history.project(), run);
    const { id } = history.project().layers[to];
    change((project) => {
      const plan = planMerge(project, from, to);
      return typeof plan === 'string' ? project : putMerged(project, plan, result.merged);
    });
    session.light(id);
    session.setState({ merging: undefined, layers: [] });
  },
});
