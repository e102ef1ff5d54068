import {
  contactsOf,
  type HeldContacts,
  layerById,
  type Project,
  type StandingSpan,
  type Stands,
} from '@evlay/core';
import {
  changeContactsHeld,
  contactsOnRefusal,
  contactsToTargets,
  easeContacts,
  findHeldAnew,
  followEvents,
  keepContacts,
  keepingRefusal,
  keepTouching,
  setStandingSpans,
  setStands,
  standOn,
} from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { notify } from '../../ui/notify.js';
import { workCalmly } from '../calm-work.js';
import { command } from '../command.js';

/** Frames above which it takes a while to see how contacts come and go. */
const LONG = 400;

/** Lets the contacts of a layer come and go softly, and puts the project that it comes to. */
function easeCalmly(
  editor: Editor,
  project: Project,
  layer: string,
  missed: string,
  put: (eased: Project) => void,
): void {
  const { range } = project;
  workCalmly(editor, {
    name: 'Letting contacts come and go softly',
    missed,
    long: range[1] - range[0] > LONG,
    steps: easeContacts(project, layer),
    put,
  });
}

/**
 * Adds a layer at the top that keeps the contacts of the takes that drive the limbs, so that they come and go softly, and
 * lights it.
 */
export const keepTheContacts = command({
  name: 'Keep contacts',
  palette: 'Layer',
  refusal({ history }) {
    const reason = keepingRefusal(history.project());
    return reason === undefined ? undefined : { reason };
  },
  run(editor, _, change) {
    const kept = keepContacts(editor.history.project());
    if (!kept) return;
    easeCalmly(editor, kept.project, kept.id, 'the contacts are not kept', (eased) => {
      change(() => eased);
      editor.session.light(kept.id);
    });
  },
});

/** Keeps hands and feet where they stay on other characters and on props, with a layer for each of these. */
export const keepTheTouching = command({
  name: 'Keep what touches others',
  palette: 'Layer',
  refusal({ history }) {
    const { characters, props } = history.project().scene;
    return characters.length + props.length > 1
      ? undefined
      : { reason: 'There is no other character and no prop that could be touched' };
  },
  run(editor, _, change) {
    const project = editor.history.project();
    workCalmly(editor, {
      name: 'Looking for what touches',
      missed: 'nothing was kept',
      long: project.range[1] - project.range[0] > LONG,
      steps: keepTouching(project),
      put(kept) {
        const top = kept.layers.at(-1);
        if (top === undefined) {
          notify({
            title: 'Nothing is touched',
            text: 'In the range no hand or foot stays for a fifth of a second within 4 cm of another character or a prop.',
          });
          return;
        }
        change(() => kept.project);
        editor.session.light(top);
        const said = kept.touches.map(({ limb, space, span }) => `${limb} on ${space}, ${span.join(' to ')}`);
        const count = kept.layers.length;
        notify({
          title: `${count} ${count === 1 ? 'layer keeps' : 'layers keep'} what touches`,
          text: said.slice(0, 4).join('; '),
        });
      },
    });
  },
});

/** Lets the contacts of a layer come and go so softly that nothing is faster than without them, by a quarter at most. */
export const easeTheContacts = command<string>({
  name: 'Let its contacts come and go softly',
  layer: (_, layer) => layer,
  run(editor, layer, change) {
    const project = editor.history.project();
    easeCalmly(editor, project, layer, 'the contacts come and go as before', (eased) => {
      if (eased !== project) change(() => eased);
      else
        notify({
          title: 'They come and go softly',
          text: 'Where they do, no joint is faster than without them by more than a quarter.',
        });
    });
  },
});

/** Finds when the limbs of a layer of contacts stand anew, in what is below it. */
export const findAnew = command<string>({
  name: 'Find the contacts anew in what is below',
  layer: (_, layer) => layer,
  refusal({ history }, id) {
    const found = findHeldAnew(history.project(), id);
    const held = found.layers.find((layer) => layer.id === id);
    const spans = Object.values((held && contactsOf(held))?.limbs ?? {}).flatMap((limb) => limb.spans);
    return spans.length === 0 ? { reason: 'None of its limbs stands in what is below' } : undefined;
  },
  run: (_, layer, change) => change((project) => followEvents(findHeldAnew(project, layer))),
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
    change((project) => followEvents(setStandingSpans(project, layer, limb, spans))),
});

/** Says when limbs stand by the keys of a layer. */
export const setKeyedStands = command<{ readonly layer: string; readonly stands: Stands }>({
  name: 'Change when the limb stands by the keys',
  layer: (_, { layer }) => layer,
  run: (_, { layer, stands }, change) => change((project) => followEvents(setStands(project, layer, stands))),
});

/** Lets it be found in the keys of a layer when limbs stand, whatever was said. */
export const findInKeys = command<string>({
  name: 'Find in the keys when limbs stand',
  layer: (_, layer) => layer,
  refusal: ({ history }, id) =>
    layerById(history.project(), id)?.stands
      ? undefined
      : { reason: 'It is found in the keys already: nothing else was said' },
  run: (_, layer, change) => change((project) => followEvents(setStands(project, layer, undefined))),
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

/** Lets the limbs of a layer stand on a prop or joint, or on the floor again. */
export const standTheContacts = command<{ readonly layer: string; readonly space: string | undefined }>({
  name: 'Let limbs stand on something else',
  layer: (_, { layer }) => layer,
  refusal({ history }, { layer, space }) {
    const reason = space === undefined ? undefined : contactsOnRefusal(history.project(), layer, space);
    return reason === undefined ? undefined : { reason: `${space} ${reason}` };
  },
  run: (_, { layer, space }, change) => change((project) => standOn(project, layer, space)),
});
