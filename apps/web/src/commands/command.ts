import { layerById } from '@evlay/core';
import { setLayer } from '@evlay/core/edit';
import { type Editor, LOOKING } from '../editor/editor.js';
import type { Edit } from '../editor/history.js';
import { takeOver } from '../jobs/open.js';
import { notify } from '../ui/notify.js';

/** Why something cannot be done now, in words for people, and what removes the reason. */
export interface Refusal {
  readonly reason: string;
  readonly remedy?: { readonly label: string; readonly run: () => void };
}

/** How a command changes the project: as a step of its own, or as part of a gesture. */
export type Change = (edit: Edit) => void;

/** The headings under which the palette lists commands. */
export const PALETTE_GROUPS = [
  'Pose and key',
  'Curves and timing',
  'Layer',
  'Handles and view',
  'Play and project',
  'Pick',
] as const;
export type PaletteGroup = (typeof PALETTE_GROUPS)[number];

/**
 * Something that a user can do, by name. Buttons, shortcuts, drags and menus call it, and none has a rule of its own:
 * whether it can be done now is asked here.
 */
export interface Command<A = void> {
  /** What it is called, as a verb. */
  readonly name: string;
  /** Its shortcut, as Help writes it; several by commas. */
  readonly shortcut?: string;
  /** Where the palette lists it: one that needs no argument always says so. */
  readonly palette?: PaletteGroup;
  /** The layer that it changes, or several, whose locks are asked. */
  readonly layer?: (editor: Editor, arg: A) => string | readonly string[] | undefined;
  /** Whether it leaves the project as it is, so that it can be done where one can only look. */
  readonly looks?: boolean;
  /** Whether it changes all variants alike, whichever is shown: what moves in time. */
  readonly everywhere?: boolean;
  /** Whether it changes the project only when something has been read, so that a drag under way goes on. */
  readonly later?: boolean;
  /** Why it cannot be done now, beside locks. */
  readonly refusal?: (editor: Editor, arg: A) => Refusal | undefined;
  readonly run: (editor: Editor, arg: A, change: Change) => void;
}

/** What defines a command: one that needs no argument is listed in the palette. */
type Definition<A> = Command<A> & (Command extends Command<A> ? Listed : unknown);
interface Listed {
  readonly palette: PaletteGroup;
}

/** Lets the types of a command's argument be found from its definition. */
export const command = <A = void>(definition: Definition<A>): Command<A> => definition;

/** Why a command cannot be done now; undefined where it can. */
export function refusalOf<A>(
  editor: Editor,
  { layer, looks, refusal }: Command<A>,
  arg: A,
): Refusal | undefined {
  if (!looks && editor.session.getState().looking)
    return {
      reason: LOOKING,
      remedy: { label: 'Take it over', run: () => void takeOver() },
    };
  const changed = [layer?.(editor, arg) ?? []]
    .flat()
    .flatMap((id) => layerById(editor.history.project(), id) ?? [])
    .find(({ locked }) => locked);
  if (changed)
    return {
      reason: `${changed.name} is locked`,
      remedy: {
        label: 'Unlock it',
        run: () => editor.history.edit((project) => setLayer(project, changed.id, { locked: false })),
      },
    };
  return refusal?.(editor, arg);
}

/** Tells why something was not done, with the way on. */
export function tellRefusal(name: string, { reason, remedy }: Refusal): void {
  notify({
    title: `Not done: ${name.charAt(0).toLowerCase()}${name.slice(1)}`,
    text: `${reason}.`,
    action: remedy && { label: remedy.label, run: remedy.run },
  });
}

/**
 * Does what a command says, as one step of undo, or tells why not. A drag that is under way is let go of first. Returns
 * whether it was done.
 */
export function perform<A>(editor: Editor, wanted: Command<A>, arg: A): boolean {
  const refused = refusalOf(editor, wanted, arg);
  if (refused) {
    tellRefusal(wanted.name, refused);
    return false;
  }
  if (!wanted.later) editor.gesture?.commit();
  const step = Symbol(wanted.name);
  const history = wanted.everywhere ? editor.kept : editor.history;
  wanted.run(editor, arg, (edit) => history.edit(edit, step));
  return true;
}
