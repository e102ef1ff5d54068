import { findContacts } from '../check/contacts.js';
import { newId } from '../id.js';
import { fitMotion } from '../match/fit.js';
import { travelByFeet } from '../match/travel.js';
import { jointIndex, type Rig } from '../rig/rig.js';
import { type Contact, type Contacts, tidyContacts } from '../take/contacts.js';
import type { Making } from '../take/making.js';
import { type Motion, resampled, scaledLengths, trimmed, turnedUp } from '../take/reshape.js';
import type { Take } from '../take/take.js';
import { readGlbTake } from './gltf/take.js';
import { writeTakeGlb } from './gltf/write.js';

/** For whom a take is made: the rig that it may be fitted to, and how long a unit of it is. */
export interface Wearer {
  readonly rig: Rig;
  readonly metresPerUnit: number;
}

/**
 * The motion that a making makes of another, step by step: up, scale, trim, fit, rate, feet. `contacts` are those of
 * the result, if they are known; the last step finds them where they are not.
 */
export function makeMotion(
  source: Motion,
  making: Making,
  { rig, metresPerUnit }: Wearer,
  contacts?: Contacts,
): Motion {
  let motion: Motion = source;
  if (making.up) motion = turnedUp(motion, making.up);
  if (making.scale !== undefined) motion = scaledLengths(motion, making.scale);
  if (making.trim) motion = trimmed(motion, making.trim);
  if (making.mapping) motion = fitMotion(motion, rig, making.mapping);
  if (making.rate !== undefined) motion = resampled(motion, making.rate);
  if (making.feet) motion = travelByFeet(motion, contacts ?? findContacts(motion, metresPerUnit));
  return motion;
}

/**
 * Makes a take of another one, which stays as it is. What is made is written as a file of its own and is what that
 * file says, so that it is the same after it has been put away and read again. `before` is the take that it takes the
 * place of: its name, and its contacts where they can be carried over.
 */
export async function makeTake(source: Take, making: Making, wearer: Wearer, before?: Take): Promise<Take> {
  const sameJoints = before?.made?.mapping !== undefined || making.mapping === undefined;
  const carried =
    before?.contacts && sameJoints ? carryContacts(before.contacts, before, making, source) : undefined;
  const motion = makeMotion(source, making, wearer, carried);
  const name = before?.name ?? source.name;
  const file = `${source.source.file.replace(/^.*\//, '').replace(/\.[^.]*$/, '')}${making.mapping ? '-fitted' : '-made'}.glb`;
  const bytes = writeTakeGlb(motion.rig, motion, { name, metresPerUnit: wearer.metresPerUnit });
  const { take } = await readGlbTake(file, bytes, undefined, newId());
  const { limits, joints } = before?.contacts ?? {};
  const known = joints?.filter((name) => jointIndex(take.rig, name) >= 0);
  const watched = known && known.length > 0 ? known : undefined;
  const contacts = carried ?? findContacts(take, wearer.metresPerUnit, limits, watched);
  return { ...take, name, rig: motion.rig, made: making, contacts };
}

/** Contacts of a take where the same moments lie after it is made anew; undefined where they have to be found again. */
function carryContacts(contacts: Contacts, before: Take, making: Making, source: Take): Contacts | undefined {
  const rate = (of: Making | undefined) => of?.rate ?? 1 / source.interval;
  const start = (of: Making | undefined) => (of?.trim?.[0] ?? 0) * source.interval;
  const seconds = (s: number) => s / rate(before.made) + start(before.made);
  const sample = (t: number) => Math.round((t - start(making)) * rate(making));
  const length = (of: Making | undefined) => of?.trim?.[1] ?? source.count - 1;
  // Where more of the source comes into sight, what stands there is not known yet.
  if (start(making) < start(before.made) || length(making) > length(before.made)) return undefined;
  const last = Math.floor((length(making) * source.interval - start(making)) * rate(making) + 0.01);
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
