import { createStore } from 'zustand/vanilla';
import { type Command, perform, refusalOf } from '../commands/command.js';
import { shortcutOf } from '../commands/key-map.js';
import type { Editor } from '../editor/editor.js';

/** One entry of a context menu: a command with what it is done with. */
export interface MenuEntry {
  readonly label: string;
  readonly shortcut?: string;
  /** Why it cannot be done now. */
  readonly refused: (editor: Editor) => string | undefined;
  readonly run: (editor: Editor) => void;
}

/** A command as an entry of a context menu. */
export const item = <A>(command: Command<A>, arg: A, label = command.name): MenuEntry => ({
  label,
  shortcut: shortcutOf(command),
  refused: (editor) => refusalOf(editor, command, arg)?.reason,
  run: (editor) => void perform(editor, command, arg),
});

/** The context menu that is open, and where. */
export interface OpenMenu {
  readonly x: number;
  readonly y: number;
  readonly entries: readonly MenuEntry[];
}

export const menuStore = createStore<{ readonly open: OpenMenu | undefined }>(() => ({ open: undefined }));

/** Opens a context menu where the pointer is. */
export function openMenu(
  event: Pick<MouseEvent, 'clientX' | 'clientY' | 'preventDefault'>,
  entries: readonly MenuEntry[],
): void {
  event.preventDefault();
  menuStore.setState({ open: { x: event.clientX, y: event.clientY, entries } });
}
