import { type CompiledLayer, type StandingSpan, takeOf } from '@evlay/core';
import { useProject } from '../../editor/context.js';
import { ContactRow } from '../../timeline/ContactRow.js';
import type { TimeScale } from '../../timeline/time-scale.js';
import { StandLane } from './StandLane.js';

interface ContactLaneProps {
  readonly compiled: CompiledLayer;
  readonly lit: boolean;
  readonly scale: TimeScale;
  readonly height: number;
}

/** When the feet stand in the take that the base plays, one row a foot. */
export function ContactLane(props: ContactLaneProps) {
  const { layer } = props.compiled;
  const fps = useProject((project) => project.fps);
  const take = useProject((project) => project.takes.find(({ id }) => id === takeOf(layer)?.take));
  const contacts = take?.contacts;
  if (!contacts) return null;
  const rows = contacts.joints.map((name) => ({
    name,
    label: name,
    spans: contacts.spans
      .filter(({ joint }) => joint === name)
      .map(({ from, to }): StandingSpan => [from, to]),
  }));
  return (
    <StandLane
      {...props}
      rows={rows}
      unit={take.interval * fps}
      row={(name, { atOf, ...place }) => (
        <ContactRow
          key={name}
          take={take.id}
          contacts={contacts}
          joint={name}
          last={take.count - 1}
          rate={1 / take.interval}
          sampleOf={atOf}
          {...place}
        />
      )}
    />
  );
}
