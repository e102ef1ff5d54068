import type { RootState } from '@react-three/fiber';
import { useCallback, useEffect, useRef, useState } from 'react';

/** Milliseconds in which a browser gives a lost context back by itself; after that the picture is begun anew. */
const PATIENCE = 1500;

/**
 * Keeps a picture alive whose graphics context the browser has taken away, as it does where memory runs out or the card
 * begins anew: it is drawn again when the context comes back, and otherwise made anew by the `key` that it has from here.
 */
export function useContextLoss(): {
  readonly key: number;
  readonly lost: boolean;
  readonly onCreated: (state: RootState) => void;
} {
  const [key, setKey] = useState(0);
  const [lost, setLost] = useState(false);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  useEffect(() => () => clearTimeout(timer.current), []);
  const onCreated = useCallback(({ gl, invalidate }: RootState) => {
    setLost(false);
    gl.domElement.addEventListener('webglcontextlost', () => {
      // A picture that is taken off the page loses its context too.
      if (!gl.domElement.isConnected) return;
      setLost(true);
      timer.current = setTimeout(() => setKey((before) => before + 1), PATIENCE);
    });
    gl.domElement.addEventListener('webglcontextrestored', () => {
      clearTimeout(timer.current);
      setLost(false);
      invalidate();
    });
  }, []);
  return { key, lost, onCreated };
}
