import { type Compare, type Ghosts, NO_COMPARE, type Shot } from '../../editor/compare-choices.js';
import type { ReferenceVideo } from '../../editor/session.js';
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
  run: ({ session }) => session.setState({ compare: NO_COMPARE, reference: undefined }),
});

/** Shows a video in step with the playhead; none takes it away. */
export const showReference = command<ReferenceVideo | undefined>({
  name: 'Show a reference video',
  looks: true,
  run({ session }, reference) {
    const { reference: before } = session.getState();
    if (before && before.url !== reference?.url) URL.revokeObjectURL(before.url);
    session.setState({ reference });
  },
});
