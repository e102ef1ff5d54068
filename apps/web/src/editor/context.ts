import { type Layer, layerById, type Project } from '@evlay/core';
import type { Parts } from '@evlay/core/rig';
import { createContext, useCallback, useContext, useMemo, useRef, useSyncExternalStore } from 'react';
import { useStore } from 'zustand';
import { useShallow } from 'zustand/react/shallow';
import { sameItems } from '../ui/same-items.js';
import { partsOfCast } from './cast.js';
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

/** Milliseconds for which a drag has to hold still until what is read, and not watched, follows it. */
const CALM = 150;

/**
 * As {@link useProject}, for what is read and not watched: during a drag it follows when the hand pauses, so that the drag
 * has the time. When the drag ends it is there at once.
 */
export function useCalmProject<T>(select: (project: Project) => T): T {
  const editor = useEditor();
  const subscribe = useCallback(
    (changed: () => void) => {
      let timer: ReturnType<typeof setTimeout> | undefined;
      const stop = editor.history.store.subscribe(() => {
        clearTimeout(timer);
        if (editor.gesture) timer = setTimeout(changed, CALM);
        else changed();
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

/** The parts of the character that is lit, and of the props: one for each of its members. */
export function useCharacterParts(): Parts {
  const rig = useProject((project) => project.rig);
  const parts = useProject((project) => project.parts);
  const character = useSession((state) => state.character);
  return useMemo(() => partsOfCast({ rig, parts }, character), [rig, parts, character]);
}

/** Of the project as it is seen: with a tried pose, or with a take alone. */
export const useSeen = <T>(select: (project: Project) => T): T =>
  useStore(useEditor().seen, (state) => select(state.project));

/** Reads a layer as it is now, for numbers that follow a drag without rendering; as it was given where it is gone. */
export function useLayerNow(layer: Layer): () => Layer {
  const { history } = useEditor();
  return () => layerById(history.project(), layer.id) ?? layer;
}

/**
 * Makes of what is read of one layer something that is read of a project: an object whose values are compared. Nothing
 * is read while the layer is the same object, and what else `select` depends on (`others`) is the same.
 */
function useOfLayer<T extends object>(
  id: string,
  select: (layer: Layer | undefined) => T,
  others: readonly unknown[],
): (project: Project) => T {
  const known = useRef<{ readonly of: readonly unknown[]; readonly value: T }>(undefined);
  const compared = useShallow(select);
  return (project) => {
    const layer = layerById(project, id);
    const of = [layer, ...others];
    if (!known.current || !sameItems(known.current.of, of)) known.current = { of, value: compared(layer) };
    return known.current.value;
  };
}

/** What is read of a layer of the project. */
export const useLayer = <T extends object>(
  id: string,
  select: (layer: Layer | undefined) => T,
  ...others: readonly unknown[]
): T => useProject(useOfLayer(id, select, others));

/** What is read of a layer as it is seen. */
export const useSeenLayer = <T extends object>(id: string, select: (layer: Layer | undefined) => T): T =>
  useSeen(useOfLayer(id, select, []));

/** The number that people see for frame 0. */
export const useFirst = (): number => useProject(({ first = 0 }) => first);
