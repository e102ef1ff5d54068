import { crossingRange } from '@evlay/core/cross';
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

  /** Between which frames it plays: a range apart from the project's, where there is one, as far as it lies in that. */
  const ends = (): readonly [number, number] => {
    const { project } = seen.getState();
    const { range } = project;
    const { playRange, previewing, crossing } = session.getState();
    const looked = crossing?.preview && crossingRange(project, crossing.preview.crossing);
    const between = looked ?? playRange;
    if (!between || previewing) return range;
    const [first, last] = [Math.max(range[0], between[0]), Math.min(range[1], between[1])];
    return last > first ? [first, last] : range;
  };

  /** Last frame that plays: in a loop whose last pose equals its first, the last frame is left out. */
  const lastPlayed = (closed: boolean) => {
    const [first, last] = ends();
    return session.getState().loop && closed && last > first ? last - 1 : last;
  };

  /** Plays at the project's rate, or a part of it, on the wall clock: a slow picture drops frames, the motion keeps its time. */
  const play = () => {
    if (session.getState().playing) return;
    const own = ++run;
    const closed = ends() === seen.getState().project.range && loopIsClosed(stage.get());
    if (playhead.get() >= lastPlayed(closed) || playhead.get() < ends()[0]) playhead.set(ends()[0]);
    let startFrame = playhead.get();
    let startTime = performance.now();
    let speed = session.getState().playSpeed;
    session.setState({ playing: true });
    const step = (now: number) => {
      const { playing, loop, playSpeed } = session.getState();
      if (!playing || own !== run) return;
      const { fps } = seen.getState().project;
      const [first] = ends();
      const last = lastPlayed(closed);
      if (playSpeed !== speed) {
        [speed, startFrame, startTime] = [playSpeed, playhead.get(), now];
      }
      let next = Math.floor(startFrame + ((now - startTime) * fps * speed) / 1000);
      if (next > last) {
        if (!loop) {
          playhead.set(last);
          session.setState({ playing: false });
          return;
        }
        next = first + ((next - first) % (last - first + 1));
        startFrame = next;
        startTime = now;
      }
      playhead.set(Math.max(first, next));
      requestAnimationFrame(step);
    };
    requestAnimationFrame(step);
  };

  return { goTo, play, pause: () => session.setState({ playing: false }) };
}
