import { seenProject } from './seen.js';
import { sessionStore, setSession } from './session-store.js';
import { newSignal } from './signal.js';

/** The frame that is shown. It changes up to sixty times a second, so it lives outside React. */
export const playhead = newSignal(0);

/** Goes to a frame within the range, whole frames only. */
export function goTo(value: number): void {
  const { range } = seenProject()!;
  const [first, last] = range;
  playhead.set(Math.min(last, Math.max(first, Math.round(value))));
}

/** Last frame that plays: in a loop whose last pose equals its first, the last frame is left out. */
function lastPlayed(loop: boolean, closed: boolean): number {
  const { range } = seenProject()!;
  const [first, last] = range;
  return loop && closed && last > first ? last - 1 : last;
}

/**
 * Plays from the playhead on at the project's rate on the wall clock: a slow picture drops frames, the motion
 * keeps its time. `isClosed` tells whether the last frame of the range shows the same pose as the first.
 */
export function play(isClosed: () => boolean): void {
  if (sessionStore.getState().playing) return;
  const closed = isClosed();
  let [first] = seenProject()!.range;
  if (playhead.get() >= lastPlayed(sessionStore.getState().loop, closed)) playhead.set(first);
  let startFrame = playhead.get();
  let startTime = performance.now();
  setSession({ playing: true });
  const step = (now: number) => {
    const { playing, loop } = sessionStore.getState();
    if (!playing) return;
    const { range, fps } = seenProject()!;
    first = range[0];
    const last = lastPlayed(loop, closed);
    let next = Math.floor(startFrame + ((now - startTime) * fps) / 1000);
    if (next > last) {
      if (!loop) {
        playhead.set(last);
        setSession({ playing: false });
        return;
      }
      const length = last - first + 1;
      next = first + ((next - first) % length);
      startFrame = next;
      startTime = now;
    }
    playhead.set(Math.max(first, next));
    requestAnimationFrame(step);
  };
  requestAnimationFrame(step);
}

export const pause = (): void => setSession({ playing: false });
