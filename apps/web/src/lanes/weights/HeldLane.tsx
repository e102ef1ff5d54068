import { contactsOf, layerById } from '@evlay/core';
import { tidySpans } from '@evlay/core/check';
import { setStanding } from '../../commands/scene/contacts.js';
import { useProject } from '../../editor/context.js';
import { StandingRow } from '../../timeline/StandingRow.js';
import type { TimeScale } from '../../timeline/time-scale.js';
import { RowNames } from '../stack/RowNames.js';

interface HeldLaneProps {
  readonly id: string;
  readonly lit: boolean;
  readonly scale: TimeScale;
  readonly height: number;
  readonly color: string;
}

/** Half the length in seconds of a span that a double click adds. */
const ADDED = 0.15;
const words = (name: string) => name.replace(/([a-z])([A-Z])/g, '$1 $2').toLowerCase();

/** When the limbs of a layer that holds contacts stand, one row a limb. */
export function HeldLane({ id, lit, scale, height, color }: HeldLaneProps) {
  const held = useProject((project) => {
    const layer = layerById(project, id);
    return layer && contactsOf(layer);
  });
  const range = useProject((project) => project.range);
  const fps = useProject((project) => project.fps);
  const limbs = Object.entries(held?.limbs ?? {});
  if (limbs.length === 0) return null;
  const row = Math.min(18, (height - 4) / limbs.length);
  const top = lit ? Math.max(2, (height - row * limbs.length) / 2) : 2;
  const same = (at: number) => at;
  return (
    <g>
      {limbs.map(([name, { spans }], k) => (
        <StandingRow
          key={name}
          name={words(name)}
          unit="frames"
          spans={spans}
          ends={[
            Math.min(range[0], spans[0]?.[0] ?? range[0]),
            Math.max(range[1], spans.at(-1)?.[1] ?? range[1]),
          ]}
          added={ADDED * fps}
          frameOf={same}
          atOf={same}
          command={setStanding}
          to={(own) => ({ layer: id, limb: name, spans: own })}
          tidy={tidySpans}
          scale={scale}
          y={top + k * row}
          height={row}
          color={color}
          editable={lit}
        />
      ))}
      {lit && <RowNames names={limbs.map(([name]) => words(name))} top={top} row={row} />}
    </g>
  );
}
