import { contactsOf, type HeldContacts, layerById, type StandingSpan } from '@evlay/core';
import {
  changeContactsHeld,
  contactsToTargets,
  keepContacts,
  keepingRefusal,
  setStandingSpans,
} from '@evlay/core/edit';
import { command } from '../command.js';

/** Adds a layer at the top that keeps the contacts of the takes that drive the limbs, and lights it. */
export const keepTheContacts = command({
  name: 'Keep contacts',
  palette: 'Layer',
  refusal({ history }) {
    const reason = keepingRefusal(history.project());
    return reason === undefined ? undefined : { reason };
  },
  run({ session }, _, change) {
    let id: string | undefined;
    change((project) => {
      const kept = keepContacts(project);
      id = kept?.id;
      return kept?.project ?? project;
    });
    if (id !== undefined) session.light(id);
  },
});

/** Sets the spans over which a limb stands. */
export const setStanding = command<{
  readonly layer: string;
  readonly limb: string;
  readonly spans: readonly StandingSpan[];
}>({
  name: 'Change when the limb stands',
  layer: (_, { layer }) => layer,
  run: (_, { layer, limb, spans }, change) =>
    change((project) => setStandingSpans(project, layer, limb, spans)),
});

/** Changes how contacts come and go, whether the hips help, how high a point stands, or leaves a limb out. */
export const changeHeld = command<{
  readonly layer: string;
  readonly change: (held: HeldContacts) => HeldContacts;
}>({
  name: 'Change how contacts are held',
  layer: (_, { layer }) => layer,
  run: (_, { layer, change: to }, change) => change((project) => changeContactsHeld(project, layer, to)),
});

/** Makes targets of the contacts of a layer, with keys that can be worked on. */
export const contactsAsTargets = command<string>({
  name: 'Make targets of the contacts',
  layer: (_, layer) => layer,
  refusal: ({ history }, id) => {
    const layer = layerById(history.project(), id);
    return layer && contactsOf(layer) ? undefined : { reason: 'The layer holds no contacts' };
  },
  run: (_, layer, change) => change((project) => contactsToTargets(project, layer)),
});
