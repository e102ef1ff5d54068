import { useEffect, useState } from 'react';

/**
 * Counts from 0 up to `last`, one a task after what the step before brought has been painted: a screen that mounts its
 * parts step by step answers in between.
 */
export function useSteps(last: number): number {
  const [step, setStep] = useState(0);
  useEffect(() => {
    if (step >= last) return;
    let timer: ReturnType<typeof setTimeout>;
    const frame = requestAnimationFrame(() => {
      timer = setTimeout(() => setStep(step + 1));
    });
    return () => {
      cancelAnimationFrame(frame);
      clearTimeout(timer);
    };
  }, [step, last]);
  return step;
}
