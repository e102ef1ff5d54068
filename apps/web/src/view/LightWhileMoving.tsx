import { useThree } from '@react-three/fiber';
import { useEffect } from 'react';
import { useEditor } from '../editor/context.js';

/** Milliseconds without a new frame after which the picture is sharp again. */
const STILL = 200;

/** Draws at half the resolution while what is seen moves. */
export function LightWhileMoving() {
  const { stage } = useEditor();
  const setDpr = useThree((state) => state.setDpr);
  const invalidate = useThree((state) => state.invalidate);
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | undefined;
    const moves = () => {
      if (timer === undefined) setDpr(0.5);
      clearTimeout(timer);
      timer = setTimeout(() => {
        timer = undefined;
        setDpr(1);
        invalidate();
      }, STILL);
    };
    const stop = stage.subscribe(moves);
    return () => {
      clearTimeout(timer);
      stop();
    };
  }, [stage, setDpr, invalidate]);
  return null;
}
