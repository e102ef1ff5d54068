import { takeUnit } from '../../check/take-check.js';
import { makeSamples } from '../../format/take-make.js';
import { newId } from '../../id.js';
import type { Project } from '../../layer/project.js';
import { findContacts } from '../../make/contacts.js';
import { playsOn } from '../../match/fit.js';
import { withMore } from '../../record.js';
import type { Take } from '../../take/take.js';
import { fitSteps, freeTakeName, madeName, mappingFor } from './takes.js';

/** For whom takes come in: a character, and how captures were matched to it. */
export type Wearing = Pick<Project, 'rig' | 'metresPerUnit' | 'mappings'>;

/** A take with the contacts of its feet, found for a character. */
export const withFoundContacts = (take: Take, project: Pick<Project, 'rig' | 'metresPerUnit'>): Take =>
  take.contacts ? take : withMore(take, { contacts: findContacts(take, takeUnit(project, take)) });

/**
 * A take with its contacts, and where it does not play on a rig beside it one that is made of it and fitted to the rig. `names` are those that
 * takes have already.
 */
export async function takeOnRig(
  take: Take,
  wearing: Wearing,
  names: readonly string[] = [],
): Promise<Take[]> {
  const name = freeTakeName({ takes: names.map((one) => ({ name: one })) }, take.name);
  const stood = { ...withFoundContacts(take, wearing), name };
  if (playsOn(wearing.rig, take)) return [stood];
  const made = { from: take.id, ...fitSteps(mappingFor(wearing, take)) };
  const fitted = { id: newId(), name: madeName([...names, name], name, made), made };
  return [stood, withMore(fitted, await makeSamples(fitted, take, wearing))];
}
