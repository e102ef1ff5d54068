import type { Project } from '@evlay/core';
import { createContext, useCallback, useContext, useSyncExternalStore } from 'react';
import { useStore } from 'zustand';
import type { Editor } from './editor.js';
import type { SessionState } from './session.js';

/** The editor that the components below it show and change. */
export const EditorContext = createContext<Editor | undefined>(undefined);

export function useEditor(): Editor {
  const editor = useContext(EditorContext);
  if (!editor) throw new Error('There is no open project here.');
  return editor;
}

export const useProject = <T>(select: (project: Project) => T): T =>
  useStore(useEditor().history.store, (state) => select(state.project));

/** Milliseconds between two renders of what need not follow every move of a drag. */
const CALM = 250;

/**
 * As {@link useProject}, for what is read and not watched: during a drag it follows a few times a second, so that the
 * drag has the time. When the drag ends it is there at once.
 */
export function useCalmProject<T>(select: (project: Project) => T): T {
  const editor = useEditor();
  const subscribe = useCallback(
    (changed: () => void) => {
      let timer: ReturnType<typeof setTimeout> | undefined;
      const stop = editor.history.store.subscribe(() => {
        if (!editor.gesture) {
          clearTimeout(timer);
          timer = undefined;
          changed();
        } else
          timer ??= setTimeout(() => {
            timer = undefined;
            changed();
          }, CALM);
      });
      return () => {
        clearTimeout(timer);
        stop();
      };
    },
    [editor],
  );
  return useSyncExternalStore(subscribe, () => select(editor.history.project()));
}

export const useSession = <T>(select: (state: SessionState) => T): T => useStore(useEditor().session, select);

/** Of the project as it is seen: with a tried pose, or with a take alone. */
export const useSeen = <T>(select: (project: Project) => T): T =>
  useStore(useEditor().seen, (state) => select(state.project));
