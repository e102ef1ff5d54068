import { useShallow } from 'zustand/react/shallow';
import { together } from '../commands/stack/picked-layers.js';
import { useEditor, useProject, useSession } from '../editor/context.js';

/** The layers that change together with one: those that are picked if it is among them, else itself alone. */
export function useTogether(id: string): readonly string[] {
  const editor = useEditor();
  // Read again when what is picked changes, or the order of the stack.
  useSession(useShallow(({ lit, layers }) => [lit, ...layers]));
  return useProject(useShallow(() => together(editor, id)));
}
