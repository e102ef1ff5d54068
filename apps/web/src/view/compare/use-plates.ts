import { useShallow } from 'zustand/react/shallow';
import { useSeen, useSession } from '../../editor/context.js';
import type { Reference } from '../../editor/session.js';

/** The references that lie behind the characters: while a camera is looked through, those that are plates. */
export function usePlates(): readonly Reference[] {
  const through = useSession((state) => state.through);
  const there = useSeen((project) =>
    project.scene.props.some(({ name, camera }) => name === through && camera !== undefined),
  );
  return useSession(
    useShallow((state) => (there ? state.references.filter(({ place }) => place === 'plate') : [])),
  );
}
