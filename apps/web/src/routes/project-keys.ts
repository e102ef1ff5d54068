import { useHotkeys } from 'react-hotkeys-hook';
import { useNavigate } from 'react-router';
import { redo, undo } from '../state/project-store.js';

/** Keys that every screen of a project has. */
export function useProjectKeys(): void {
  const navigate = useNavigate();
  const through = { enableOnFormTags: ['slider', 'spinbutton'], preventDefault: true } as const;
  useHotkeys('ctrl+z, meta+z', undo, through);
  useHotkeys('ctrl+shift+z, meta+shift+z', redo, through);
  useHotkeys('?', () => void navigate('/help'), { ...through, useKey: true });
}
