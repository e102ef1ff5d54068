import type { Progress } from '@evlay/core/job';
import { useStore } from 'zustand';
import { createStore } from 'zustand/vanilla';
import type { Editor } from './editor.js';

export interface Busy {
  readonly text: string;
  readonly progress?: Progress;
  readonly cancel: () => void;
}

interface AppState {
  /** The project that this page has open. */
  readonly editor: Editor | undefined;
  /** What the page is busy with, such as opening a file, and what gives it up. */
  readonly busy: Busy | undefined;
}

export const appStore = createStore<AppState>(() => ({ editor: undefined, busy: undefined }));

export const useApp = <T>(select: (state: AppState) => T): T => useStore(appStore, select);

export const openEditor = (): Editor | undefined => appStore.getState().editor;

/** Shows an editor in place of the one that is open, which is let go of. */
export function showEditor(editor: Editor | undefined): void {
  const before = openEditor();
  if (before === editor) return;
  appStore.setState({ editor });
  before?.dispose();
}
