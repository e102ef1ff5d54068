import { newId } from '@evlay/core';
import type { ReferenceLook } from '@evlay/core/format';
import { type Compare, type Ghosts, NO_COMPARE, type Shot } from '../../editor/compare-choices.js';
import type { Reference } from '../../editor/session.js';
import { freeName } from '../../storage/names.js';
import { command } from '../command.js';

/** Changes how what is seen is compared with something else. */
export const compareBy = command<Partial<Compare>>({
  name: 'Compare',
  looks: true,
  run: ({ session }, values) => session.setState(({ compare }) => ({ compare: { ...compare, ...values } })),
});

/** Shows or leaves the choices of comparing. */
export const toggleCompare = command({
  name: 'Compare before and after',
  palette: 'Handles and view',
  shortcut: 'Shift+B',
  looks: true,
  run: ({ session }) => session.setState(({ compare }) => ({ compare: { ...compare, open: !compare.open } })),
});

/** Opens the choices of comparing in the right column, where references are set, in place of what is there. */
export const openReferences = command({
  name: 'Choose how references are shown',
  palette: 'Handles and view',
  looks: true,
  run: ({ session }) =>
    session.setState(({ compare }) => ({
      crossing: undefined,
      merging: undefined,
      kit: undefined,
      film: undefined,
      review: undefined,
      notes: undefined,
      compare: { ...compare, open: true },
    })),
});

/** Shows poses through, or leaves them. */
export const showGhosts = command<Partial<Ghosts>>({
  name: 'Show ghosts',
  looks: true,
  run: ({ session }, ghosts) =>
    session.setState(({ compare }) => ({
      compare: { ...compare, ghosts: { ...compare.ghosts, ...ghosts } },
    })),
});

/** Shows or hides the ghost of what is compared with. */
export const toggleGhost = command({
  name: 'Show the ghost of before',
  palette: 'Handles and view',
  shortcut: 'G',
  looks: true,
  run: ({ session }) =>
    session.setState(({ compare }) => ({
      compare: { ...compare, ghosts: { ...compare.ghosts, before: !compare.ghosts.before } },
    })),
});

/** Divides the view: before on the left, now on the right; once more leaves it whole. */
export const toggleSplit = command({
  name: 'Divide the view into before and now',
  palette: 'Handles and view',
  looks: true,
  run: ({ session }) =>
    session.setState(({ compare }) => ({
      compare: { ...compare, split: compare.split === undefined ? 0.5 : undefined },
    })),
});

/** Opens a second view that stays where it looks from; none closes it. */
export const showShot = command<Shot | undefined>({
  name: 'Show a second view that stays',
  looks: true,
  run: ({ session }, shot) => session.setState(({ compare }) => ({ compare: { ...compare, shot } })),
});

/** Makes both views of one size, or the second small in the corner again. */
export const halfViews = command({
  name: 'Two views of one size, or the second in the corner',
  palette: 'Handles and view',
  looks: true,
  refusal: ({ session }) =>
    session.getState().compare.shot ? undefined : { reason: 'There is no second view: open one first' },
  run: ({ session }) =>
    session.setState(({ compare }) => ({ compare: { ...compare, halves: !compare.halves } })),
});

/** Leaves everything that compares. */
export const stopComparing = command({
  name: 'Compare no more',
  palette: 'Handles and view',
  looks: true,
  run: ({ session }) => session.setState({ compare: NO_COMPARE, references: [] }),
});

/** Videos and pictures that are shown at once. */
const MOST_REFERENCES = 4;

/** Shows a video in step with the playhead, or a picture, beside those that are shown. */
export const addReference = command<File>({
  name: 'Add a reference',
  looks: true,
  refusal: ({ session }) =>
    session.getState().references.length < MOST_REFERENCES
      ? undefined
      : { reason: `${MOST_REFERENCES} references are shown: take one away first` },
  run({ session, history }, file) {
    const names = session.getState().references.map(({ name }) => name);
    const reference: Reference = {
      id: newId(),
      // Notes that are drawn over it know it by its name.
      name: freeName(file.name, names),
      kind: file.type.startsWith('image/') ? 'picture' : 'video',
      url: URL.createObjectURL(file),
      size: file.size,
      inFile: false,
      offset: history.project().range[0],
      from: 0,
      speed: 1,
      place: 'box',
      opacity: 0.5,
    };
    session.setState(({ references }) => ({ references: [...references, reference] }));
  },
});

/** Changes how a reference is shown, by its id. */
export const changeReference = command<{
  readonly id: string;
  readonly values: Partial<ReferenceLook & Pick<Reference, 'inFile'>>;
}>({
  name: 'Change how a reference is shown',
  looks: true,
  run: ({ session }, { id, values }) =>
    session.setState(({ references }) => ({
      references: references.map((one) => (one.id === id ? { ...one, ...values } : one)),
    })),
});

export const removeReference = command<string>({
  name: 'Take the reference away',
  looks: true,
  run: ({ session }, id) =>
    session.setState(({ references }) => ({ references: references.filter((one) => one.id !== id) })),
});
