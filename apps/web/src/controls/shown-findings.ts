import type { Finding } from '@evlay/core/check';
import { useMemo } from 'react';
import { useSession } from '../editor/context.js';

/** What was found that is graver than a note and of a kind that is shown; undefined while nothing is known yet. */
export function useShownFindings(): readonly Finding[] | undefined {
  const findings = useSession((state) => state.findings);
  const hidden = useSession((state) => state.hiddenFindings);
  return useMemo(
    () => findings?.filter(({ grade, kind }) => grade !== 'note' && !hidden.includes(kind)),
    [findings, hidden],
  );
}

/** The same as it is marked on the time axis and on the character: nothing where marks are hidden. */
export function useMarkedFindings(): readonly Finding[] {
  const shown = useShownFindings();
  const marks = useSession((state) => state.findingMarks);
  return marks ? (shown ?? NONE) : NONE;
}

const NONE: readonly Finding[] = [];
