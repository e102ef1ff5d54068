import { carriedInPart, mergeParts, moveToPart, renamePart } from '@evlay/core/edit';
import { partLabel } from '@evlay/core/rig';
import type { Editor } from '../../editor/editor.js';
import { command, type Refusal } from '../command.js';

const nonePicked = ({ session }: Editor): Refusal | undefined =>
  session.getState().picked.length === 0 ? { reason: 'Pick joints first' } : undefined;

function freePart({ history }: Editor): string {
  const { parts } = history.project();
  let k = 1;
  while (parts.includes(`part ${k}`)) k++;
  return `part ${k}`;
}

/** Puts the picked joints into a part: one that is there, or a new one where none is said. */
export const putInPart = command<string | undefined>({
  name: 'Put the picked joints into a part',
  refusal: nonePicked,
  run(editor, part, change) {
    const { picked } = editor.session.getState();
    const name = part ?? freePart(editor);
    change((project) => moveToPart(project, picked, name));
    editor.session.setState({ parts: [name] });
  },
});

/** Drags joints into a part, counted from the parts at the beginning; over none they stay where they were. */
export const dragIntoPart = command<{
  readonly joints: readonly number[];
  readonly part: string | undefined;
}>({
  name: 'Drag joints into a part',
  run(editor, { joints, part }, change) {
    const { parts, layers } = editor.history.settled();
    change((project) => {
      const start = { ...project, parts, layers };
      return part === undefined ? start : moveToPart(start, joints, part);
    });
  },
});

/** Splits a part at the picked joint: what that carries becomes a part of its own. */
export const splitPart = command({
  name: 'Split the part at the picked joint',
  palette: 'Layer',
  refusal(editor): Refusal | undefined {
    const { picked } = editor.session.getState();
    const joint = picked.at(-1);
    if (joint === undefined) return { reason: 'Pick the joint at which the part is split' };
    const project = editor.history.project();
    const all = project.parts.filter((part) => part === project.parts[joint]).length;
    return carriedInPart(project, joint).length < all
      ? undefined
      : {
          reason: `${project.rig.joints[joint].name} is the first joint of the ${partLabel(project.parts[joint])}`,
        };
  },
  run(editor, _, change) {
    const joint = editor.session.getState().picked.at(-1);
    if (joint === undefined) return;
    const name = freePart(editor);
    change((project) => moveToPart(project, carriedInPart(project, joint), name));
    editor.session.setState({ parts: [name] });
  },
});

/** Puts all joints of a part into another one. */
export const mergePart = command<{ from: string; into: string }>({
  name: 'Merge the part into another one',
  run(editor, { from, into }, change) {
    change((project) => mergeParts(project, from, into));
    editor.session.setState({ parts: [into] });
  },
});

export const renameThePart = command<{ from: string; to: string }>({
  name: 'Rename the part',
  refusal: ({ history }, { from, to }) =>
    to.trim() !== from && history.project().parts.includes(to.trim())
      ? { reason: `There is a part called ${partLabel(to.trim())} already: merge them instead` }
      : undefined,
  run(editor, { from, to }, change) {
    change((project) => renamePart(project, from, to));
    editor.session.setState(({ parts }) => ({
      parts: parts.map((part) => (part === from ? to.trim() : part)),
    }));
  },
});
