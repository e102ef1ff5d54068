import { Menu } from '@chakra-ui/react';
import { useEffect } from 'react';
import { useStore } from 'zustand';
import { useEditor } from '../editor/context.js';
import { MenuPanel } from '../ui/MenuPanel.js';
import { menuStore } from './context-menu.js';

const close = (): void => menuStore.setState({ open: undefined });

/** The context menu of whatever was clicked with the right button. */
export function ContextMenu() {
  const editor = useEditor();
  const open = useStore(menuStore, (state) => state.open);
  useEffect(() => {
    if (!open) return;
    // Escape closes the menu and lets go of nothing else: it is heard before all others.
    const leave = (event: KeyboardEvent) => {
      if (event.key !== 'Escape') return;
      event.stopImmediatePropagation();
      event.preventDefault();
      close();
    };
    window.addEventListener('keydown', leave, { capture: true });
    return () => window.removeEventListener('keydown', leave, { capture: true });
  }, [open]);
  if (!open) return null;
  return (
    <Menu.Root
      key={`${open.x} ${open.y}`}
      open
      size="sm"
      onOpenChange={(details) => !details.open && close()}
      positioning={{
        placement: 'bottom-start',
        getAnchorRect: () => ({ x: open.x, y: open.y, width: 1, height: 1 }),
      }}
    >
      <MenuPanel aria-label="What can be done here">
        {open.entries.map((entry) => {
          const refused = entry.refused(editor);
          return (
            <Menu.Item
              key={entry.label}
              value={entry.label}
              disabled={refused !== undefined}
              title={refused}
              onClick={() => entry.run(editor)}
            >
              {entry.label}
              {entry.shortcut && <Menu.ItemCommand color="quiet">{entry.shortcut}</Menu.ItemCommand>}
            </Menu.Item>
          );
        })}
      </MenuPanel>
    </Menu.Root>
  );
}
