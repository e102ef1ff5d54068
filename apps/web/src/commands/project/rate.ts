import { FASTEST_RATE, rateText, SLOWEST_RATE } from '@evlay/core';
import { type KeysAt, setFirst, changeRate as withRate } from '@evlay/core/edit';
import { atRate } from '../../editor/session.js';
import { command } from '../command.js';

/** Counts the same moments in other frames a second. What is set in frames for what comes next stays as long in seconds. */
export const changeRate = command<{ readonly fps: number; readonly keys: KeysAt }>({
  name: 'Change the frames a second',
  everywhere: true,
  refusal: (_, { fps }) =>
    fps >= SLOWEST_RATE && fps <= FASTEST_RATE
      ? undefined
      : {
          reason: `${rateText(fps)} frames a second were asked for, expected ${SLOWEST_RATE} to ${FASTEST_RATE}`,
        },
  run({ history, session, playhead }, { fps, keys }, change) {
    const ratio = fps / history.project().fps;
    const at = playhead.get();
    change((project) => withRate(project, fps, keys));
    session.setState((state) => atRate(state, ratio));
    playhead.set(Math.round(at * ratio));
  },
});

/** Sets the number that is seen for frame 0. */
export const changeFirst = command<number>({
  name: 'Change the number of the first frame',
  everywhere: true,
  refusal: (_, first) =>
    Number.isInteger(first) && Math.abs(first) <= 1e6
      ? undefined
      : { reason: 'Expected a whole number such as 0, 1 or 1001' },
  run: (_editor, first, change) => change((project) => setFirst(project, first)),
});
