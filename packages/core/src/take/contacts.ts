/** Below which height above its floor and below which speed a foot stands. */
export interface ContactLimits {
  /** Metres. */
  readonly height: number;
  /** Metres a second. */
  readonly speed: number;
}

export const CONTACT_LIMITS: ContactLimits = { height: 0.04, speed: 0.3 };

/** Samples over which a foot or hand stays where it is, both ends included. */
export interface Contact {
  readonly joint: string;
  readonly from: number;
  readonly to: number;
}

/** Contacts of a take, by joint and time, with the limits by which they were found. */
export interface Contacts {
  readonly limits: ContactLimits;
  /** The joints that were looked at, by name. */
  readonly joints: readonly string[];
  readonly spans: readonly Contact[];
  /** Set where they have to be found again, once the samples are there; `spans` are then those of before. */
  readonly pending?: true;
}

/** Puts contacts in order and joins those of one joint that touch or overlap. */
export function tidyContacts(spans: readonly Contact[]): Contact[] {
  const out: Contact[] = [];
  const sorted = [...spans].sort((a, b) =>
    a.joint === b.joint ? a.from - b.from : a.joint < b.joint ? -1 : 1,
  );
  for (const span of sorted) {
    const last = out[out.length - 1];
    if (last?.joint === span.joint && span.from <= last.to + 1)
      out[out.length - 1] = { ...last, to: Math.max(last.to, span.to) };
    else out.push(span);
  }
  return out;
}
