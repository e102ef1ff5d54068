import { useFrame } from '@react-three/fiber';
import { useRef } from 'react';
import { useEditor } from '../editor/context.js';
import { notify } from '../ui/notify.js';
import { preferences } from '../ui/preferences.js';

/** So many frames one after the other are looked at, and a gap of more milliseconds between two is a pause. */
const FRAMES = 24;
const PAUSE = 250;
/** Milliseconds between frames above which drawing is slow: fewer than 20 a second. */
const SLOW = 50;

/** Watches how long frames take while something moves, and lets less be drawn where they are slow. */
export function NoteSlow() {
  const editor = useEditor();
  const last = useRef(0);
  const gaps = useRef<number[]>([]);
  useFrame(() => {
    const now = performance.now();
    const gap = now - last.current;
    last.current = now;
    if (gap > PAUSE) {
      gaps.current = [];
      return;
    }
    gaps.current.push(gap);
    if (gaps.current.length < FRAMES) return;
    const middle = gaps.current.sort((a, b) => a - b)[FRAMES / 2];
    gaps.current = [];
    const { slow } = editor.session.getState();
    const { lightDisplay, lightWhenSlow } = preferences.getState();
    if (middle < SLOW || slow || lightDisplay || !lightWhenSlow || editor.gesture) return;
    editor.session.setState({ slow: true });
    notify({
      title: 'Drawn lightly now',
      text: `Frames took ${Math.round(middle)} ms: shadows are off, and the picture is coarser while it moves.`,
      action: {
        label: 'Always draw in full',
        run: () => {
          editor.session.setState({ slow: false });
          preferences.setState({ lightWhenSlow: false });
        },
      },
    });
  });
  return null;
}
