import type { Project } from '@evlay/core';
import { createContext, useContext } from 'react';
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

export const useSession = <T>(select: (state: SessionState) => T): T => useStore(useEditor().session, select);

/** Of the project as it is seen: with a tried pose, or with a take alone. */
export const useSeen = <T>(select: (project: Project) => T): T =>
  useStore(useEditor().seen, (state) => select(state.project));
