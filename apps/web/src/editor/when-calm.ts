import type { Editor } from './editor.js';

/** Milliseconds that are worked at a stretch, and that are waited for after the last change. */
const STRETCH = 6;
const PAUSE = 160;

/**
 * Works something out a little at a time, so that the page stays free, when nothing of what is seen has changed for a
 * moment and nothing is dragged or played; anew after every change. Returns what ends that.
 */
export function workWhenCalm<T>(
  editor: Editor,
  make: () => Generator<unknown, T>,
  done: (result: T) => void,
): () => void {
  let timer: ReturnType<typeof setTimeout>;
  const work = (steps: Generator<unknown, T>) => {
    const end = performance.now() + STRETCH;
    while (performance.now() < end) {
      const step = steps.next();
      if (!step.done) continue;
      done(step.value);
      return;
    }
    timer = setTimeout(() => work(steps));
  };
  const begin = () => {
    clearTimeout(timer);
    timer = setTimeout(() => {
      if (editor.session.getState().playing || editor.gesture) begin();
      else work(make());
    }, PAUSE);
  };
  begin();
  const stop = editor.seen.subscribe(begin);
  return () => {
    clearTimeout(timer);
    stop();
  };
}
