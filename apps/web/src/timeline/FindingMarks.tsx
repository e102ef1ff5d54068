import type { Finding, Grade } from '@evlay/core/check';
import { findingKey } from '@evlay/core/check';
import { useMemo } from 'react';
import { perform } from '../commands/command.js';
import { goToFinding } from '../commands/stack/findings.js';
import { useMarkedFindings } from '../controls/shown-findings.js';
import { useEditor, useSession } from '../editor/context.js';
import { frameToX, type TimeScale } from './time-scale.js';

const STRENGTH: Record<Grade, number> = { note: 0.5, warn: 0.8, fault: 1 };

/** Where on the time axis something was found, in the alarm colour; a click goes there. Layers as a whole have no mark. */
export function FindingMarks({ scale, left, top }: { scale: TimeScale; left: number; top: number }) {
  const editor = useEditor();
  const findings = useMarkedFindings();
  const open = useSession((state) => state.finding?.key);
  const marks = useMemo(() => {
    const shown = findings.filter(
      ({ layer, frame }) => layer === undefined && frame >= scale.from && frame <= scale.to,
    );
    // The gravest at a place is on top and is the one that a click goes to.
    const places = new Map<number, Finding>();
    for (const one of shown) {
      const x = Math.round(frameToX(scale, one.frame) / 5) * 5;
      if (!places.has(x)) places.set(x, one);
    }
    return [...places.entries()];
  }, [findings, scale]);
  return (
    <svg
      width={scale.width}
      height={8}
      style={{ position: 'absolute', left, top, pointerEvents: 'none', overflow: 'visible' }}
      aria-hidden="true"
    >
      {marks.map(([x, finding]) => (
        <path
          key={findingKey(finding)}
          d={`M${x - 4} 0 H${x + 4} L${x} 7 Z`}
          fill="var(--evlay-colors-alarm)"
          fillOpacity={STRENGTH[finding.grade]}
          stroke={findingKey(finding) === open ? 'var(--evlay-colors-text)' : 'none'}
          style={{ pointerEvents: 'auto', cursor: 'pointer' }}
          data-finding={finding.kind}
          data-does="Something was found here: click to go there"
          onPointerDown={(event) => {
            event.stopPropagation();
            perform(editor, goToFinding, finding);
          }}
        />
      ))}
    </svg>
  );
}
