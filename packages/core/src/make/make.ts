import { withFacesOf } from '../match/faces.js';
import { jointIndex, type Rig } from '../rig/rig.js';
import { type Contact, type Contacts, tidyContacts } from '../take/contacts.js';
import { type HandMoved, handsAt } from '../take/hands.js';
import type { Making } from '../take/making.js';
import { type Motion, resampled, scaledLengths, trimmed, turnedUp } from '../take/reshape.js';
import type { Take } from '../take/take.js';
import { closedMotion } from './close.js';
import { findContacts } from './contacts.js';
import { fitOnFloor } from './ground.js';
import { keepHands } from './keep-hands.js';
import { type Stretch, smoothStretches } from './smooth-stretch.js';
import { travelByFeet } from './travel.js';

/** For whom a take is made: the rig that it may be fitted to, and how long a unit of it is. */
export interface Wearer {
  readonly rig: Rig;
  readonly metresPerUnit: number;
}

/** A motion that was made, with its contacts. */
export interface MadeMotion {
  readonly motion: Motion;
  readonly contacts: Contacts;
  /** When hands were moved to keep their distances. */
  readonly handsMoved: readonly HandMoved[];
}

/**
 * Makes a motion of another one, step by step: up, scale, trim, fit, hands, faces, rate, smooth, feet, close. Contacts that are known are kept;
 * those that are pending are found, by the same limits and of the same joints where the result has them.
 */
export function makeMotion(
  source: Motion,
  making: Making,
  { rig, metresPerUnit }: Wearer,
  known?: Contacts,
): MadeMotion {
  let motion: Motion = source;
  if (making.up) motion = turnedUp(motion, making.up);
  if (making.scale !== undefined) motion = scaledLengths(motion, making.scale);
  if (making.trim) motion = trimmed(motion, making.trim);
  let moved: readonly HandMoved[] = [];
  if (making.mapping) {
    const fitted = fitOnFloor(motion, rig, making.mapping, making.travels);
    if (making.hands) ({ motion, moved } = keepHands(motion, fitted, making.mapping));
    else motion = fitted;
  }
  const { interval } = motion;
  if (making.faces) motion = withFacesOf(motion, rig, making.faces);
  if (making.rate !== undefined) motion = resampled(motion, making.rate);
  let contacts = known && !known.pending ? known : foundAnew(motion, metresPerUnit, known);
  if (making.smooth) {
    motion = smoothStretches(motion, stretchesOf(source, making, motion), contacts.spans);
    if (!known || known.pending) contacts = foundAnew(motion, metresPerUnit, known);
  }
  if (making.feet) motion = travelByFeet(motion, contacts);
  if (making.close) motion = closedMotion(motion, making.close);
  return { motion, contacts, handsMoved: handsAt(moved, interval, motion) };
}

/** Stretches that are smoothed in samples of a motion that was trimmed and resampled. */
function stretchesOf(source: Motion, { trim, smooth = [] }: Making, { interval }: Motion): Stretch[] {
  const sampleOf = (s: number) => ((s - (trim?.[0] ?? 0)) * source.interval) / interval;
  return smooth.map(([from, to]) => [Math.floor(sampleOf(from)), Math.ceil(sampleOf(to))]);
}

function foundAnew(motion: Motion, metresPerUnit: number, before: Contacts | undefined): Contacts {
  const joints = before?.joints.filter((name) => jointIndex(motion.rig, name) >= 0) ?? [];
  return findContacts(motion, metresPerUnit, before?.limits, joints.length > 0 ? joints : undefined);
}

/**
 * What the samples of a made take depend on, as text: its source, its steps, and its contacts where it travels by
 * them. Two takes with the same text have the same samples.
 */
export function makingKey({ made, contacts }: Pick<Take, 'made' | 'contacts'>, source: Take): string {
  const { from: _, ...steps } = made ?? { from: '' };
  const { id, clip } = source.source;
  const by =
    made?.feet && contacts
      ? contacts.pending
        ? [contacts.limits, contacts.joints]
        : contacts.spans.map(({ joint, from, to }) => [joint, from, to])
      : [];
  const ordered = Object.entries(steps)
    .filter(([, value]) => value !== undefined)
    .sort(([a], [b]) => (a < b ? -1 : 1));
  return JSON.stringify([id, clip, ordered, by]);
}

/**
 * Contacts of a take whose steps change from one making to another: carried along where the same moments are in both,
 * otherwise pending. A take that is put upright another way, or fitted to another skeleton, stands on other feet.
 */
export function carryContacts(
  contacts: Contacts | undefined,
  before: Making | undefined,
  after: Making,
  source: Take,
): Contacts | undefined {
  if (!contacts) return undefined;
  const pending: Contacts = { ...contacts, pending: true };
  const fits = (making: Making | undefined) => making?.mapping !== undefined;
  if (contacts.pending || (before?.up ?? 'y') !== (after.up ?? 'y') || (fits(after) && !fits(before)))
    return pending;
  const rate = (of: Making | undefined) => of?.rate ?? 1 / source.interval;
  const start = (of: Making | undefined) => (of?.trim?.[0] ?? 0) * source.interval;
  const seconds = (s: number) => s / rate(before) + start(before);
  const sample = (t: number) => Math.round((t - start(after)) * rate(after));
  const end = (of: Making | undefined) => of?.trim?.[1] ?? source.count - 1;
  // Where more of the source comes into sight, what stands there is not known yet.
  if (start(after) < start(before) || end(after) > end(before)) return pending;
  const last = Math.floor((end(after) * source.interval - start(after)) * rate(after) + 0.01);
  const spans = contacts.spans.flatMap(({ joint, from, to }): Contact[] => {
    const moved = {
      joint,
      from: Math.max(0, sample(seconds(from))),
      to: Math.min(last, sample(seconds(to))),
    };
    return moved.to >= moved.from ? [moved] : [];
  });
  return { ...contacts, spans: tidyContacts(spans) };
}
