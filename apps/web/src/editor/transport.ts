import type { Signal } from '../ui/signal.js';
import type { Seen } from './seen.js';
import type { Session } from './session.js';
import { loopIsClosed, type Stage } from './stage.js';

/** Plays, pauses and steps through what is seen. */
export interface Transport {
  /** Goes to a frame within the range, whole frames only. */
  readonly goTo: (frame: number) => void;
  readonly play: () => void;
  readonly pause: () => void;
}

export function createTransport(playhead: Signal, seen: Seen, session: Session, stage: Stage): Transport {
  // Each play has a number of its own, so that one that was paused does not run on beside the next.
  let run = 0;

  const goTo = (value: number) => {
    const [first, last] = seen.getState().project.range;
    playhead.set(Math.min(last, Math.max(first, Math.round(value))));
  };

  /** Last frame that plays: in a loop whose last pose equals its first, the last frame is left out. */
  const lastPlayed = (closed: boolean) => {
    const [first, last] = seen.getState().project.range;
    return session.getState().loop && closed && last > first ? last - 1 : last;
  };

  /** Plays at the project's rate on the wall clock: a slow picture drops frames, the motion keeps its time. */
  const play = () => {
    if (session.getState().playing) return;
    const own = ++run;
    const closed = loopIsClosed(stage.get());
    if (playhead.get() >= lastPlayed(closed)) playhead.set(seen.getState().project.range[0]);
    let startFrame = playhead.get();
    let startTime = performance.now();
    session.setState({ playing: true });
    const step = (now: number) => {
      const { playing, loop } = session.getState();
      if (!playing || own !== run) return;
      const { range, fps } = seen.getState().project;
      const last = lastPlayed(closed);
      let next = Math.floor(startFrame + ((now - startTime) * fps) / 1000);
      if (next > last) {
        if (!loop) {
          playhead.set(last);
          session.setState({ playing: false });
          return;
        }
        next = range[0] + ((next - range[0]) % (last - range[0] + 1));
        startFrame = next;
        startTime = now;
      }
      playhead.set(Math.max(range[0], next));
      requestAnimationFrame(step);
    };
    requestAnimationFrame(step);
  };

  return { goTo, play, pause: () => session.setState({ playing: false }) };
}
