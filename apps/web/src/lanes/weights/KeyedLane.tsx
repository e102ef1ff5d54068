import type { CompiledLayer } from '@evlay/core';
import { tidySpans } from '@evlay/core/check';
import { partLabel } from '@evlay/core/rig';
import { setKeyedStands } from '../../commands/scene/contacts.js';
import { useProject } from '../../editor/context.js';
import { StandingRow } from '../../timeline/StandingRow.js';
import type { TimeScale } from '../../timeline/time-scale.js';
import { StandLane } from './StandLane.js';
import { useStands } from './use-stands.js';

interface KeyedLaneProps {
  readonly compiled: CompiledLayer;
  readonly lit: boolean;
  readonly scale: TimeScale;
  readonly height: number;
}

/** Half the length in seconds of a span that a double click adds. */
const ADDED = 0.15;

/** When the limbs stand by the keys of the base, one row a limb: found in them, until it is corrected. */
export function KeyedLane(props: KeyedLaneProps) {
  const { layer, time } = props.compiled;
  const { stands, outdated } = useStands(layer);
  const range = useProject((project) => project.range);
  const fps = useProject((project) => project.fps);
  if (!stands) return null;
  const own = range.map((frame) => (frame - time.offset) * time.speed);
  const all = Object.values(stands).flat(2);
  const ends = [
    time.loop === 'none' ? Math.min(...own, ...all) : time.start,
    time.loop === 'none' ? Math.max(...own, ...all) : Math.max(time.start + time.length, ...all),
  ] as const;
  const rows = Object.entries(stands).map(([name, spans]) => ({ name, label: partLabel(name), spans }));
  return (
    <StandLane
      {...props}
      rows={rows}
      unit={1}
      row={(name, place) => (
        <StandingRow
          key={name}
          name={partLabel(name)}
          unit={time.plain ? 'frames' : 'own frames'}
          spans={stands[name]}
          ends={ends}
          added={ADDED * fps}
          command={setKeyedStands}
          to={(spans) => ({ layer: layer.id, stands: { ...stands, [name]: spans } })}
          tidy={tidySpans}
          faint={outdated}
          {...place}
          editable={place.editable && !outdated}
        />
      )}
    />
  );
}
