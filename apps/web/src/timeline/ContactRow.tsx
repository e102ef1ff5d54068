import type { StandingSpan } from '@evlay/core';
import { type Contacts, tidyContacts } from '@evlay/core/take';
import { changeContacts } from '../commands/scene/takes.js';
import { StandingRow } from './StandingRow.js';
import type { TimeScale } from './time-scale.js';

interface ContactRowProps {
  /** Id of the take, and its contacts. */
  readonly take: string;
  readonly contacts: Contacts;
  readonly joint: string;
  /** Last sample of the take, and how many it has a second. */
  readonly last: number;
  readonly rate: number;
  /** Frame on the axis of a sample, and the other way round. */
  readonly frameOf: (sample: number) => number;
  readonly sampleOf: (frame: number) => number;
  readonly scale: TimeScale;
  readonly y: number;
  readonly height: number;
  /** Whether spans can be changed; all of them if not said. */
  readonly editable?: boolean;
}

/** Half the length in seconds of a span that a double click adds. */
const ADDED = 0.1;

/** When one foot stands in a take. */
export function ContactRow({ take, contacts, joint, last, rate, sampleOf, ...place }: ContactRowProps) {
  const spans = (of: Contacts) =>
    of.spans.filter((one) => one.joint === joint).map(({ from, to }): StandingSpan => [from, to]);
  const withSpans = (own: readonly StandingSpan[]): Contacts => ({
    ...contacts,
    spans: tidyContacts([
      ...contacts.spans.filter((one) => one.joint !== joint),
      ...own.map(([from, to]) => ({ joint, from, to })),
    ]),
  });
  return (
    <StandingRow
      {...place}
      name={joint}
      unit="samples"
      spans={spans(contacts)}
      ends={[0, last]}
      added={ADDED * rate}
      atOf={sampleOf}
      command={changeContacts}
      to={(own) => ({ take, contacts: withSpans(own) })}
      tidy={(own) => spans(withSpans(own))}
      faint={contacts.pending}
    />
  );
}
