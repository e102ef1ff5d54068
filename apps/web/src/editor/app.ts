import { useStore } from 'zustand';
import { createStore } from 'zustand/vanilla';
import type { Editor } from './editor.js';

interface AppState {
  /** The project that this page has open. */
  readonly editor: Editor | undefined;
  /** Name of the file that is being opened. */
  readonly opening: string | undefined;
}

export const appStore = createStore<AppState>(() => ({ editor: undefined, opening: undefined }));

export const useApp = <T>(select: (state: AppState) => T): T => useStore(appStore, select);

export const openEditor = (): Editor | undefined => appStore.getState().editor;

/** Shows an editor in place of the one that is open, which is let go of. */
export function showEditor(editor: Editor | undefined): void {
  const before = openEditor();
  if (before === editor) return;
  appStore.setState({ editor });
  before?.dispose();
}
