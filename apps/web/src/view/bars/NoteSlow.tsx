import { useFrame } from '@react-three/fiber';
import { useEffect, useRef } from 'react';
import { useEditor } from '../../editor/context.js';
import type { Editor } from '../../editor/editor.js';
import { setJobs } from '../../editor/session.js';
import { notify } from '../../ui/notify.js';
import { preferences } from '../../ui/preferences.js';

/** So many frames one after the other are looked at. */
const FRAMES = 16;
/** Milliseconds from a change to its picture above which drawing is slow: fewer than 20 pictures a second. */
const SLOW = 50;

/** Watches how long a change waits for its picture, and lets less be drawn where that is long. */
export function NoteSlow() {
  const editor = useEditor();
  const changed = useRef(0);
  const waits = useRef<number[]>([]);
  useEffect(
    () =>
      editor.stage.subscribe(() => {
        if (changed.current === 0) changed.current = performance.now();
      }),
    [editor],
  );
  useFrame(() => {
    if (changed.current === 0) return;
    waits.current.push(performance.now() - changed.current);
    changed.current = 0;
    if (waits.current.length < FRAMES) return;
    const middle = waits.current.sort((a, b) => a - b)[FRAMES / 2];
    waits.current = [];
    // A drag is not disturbed: the view is made anew. Nor is it in the middle of a frame.
    if (middle < SLOW || !preferences.getState().lightWhenSlow || editor.gesture) return;
    setTimeout(() => drawLightly(editor, middle));
  });
  return null;
}

function drawLightly({ session }: Editor, wait: number): void {
  setJobs(session, { slow: true });
  notify({
    title: 'Drawn lightly now',
    text: `A picture took ${Math.round(wait)} ms: shadows are off, and it is coarser while it moves.`,
    action: {
      label: 'Always draw in full',
      run: () => {
        setJobs(session, { slow: false });
        preferences.setState({ lightWhenSlow: false });
      },
    },
  });
}
