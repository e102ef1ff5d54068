import { Menu } from '@chakra-ui/react';
import { useStore } from 'zustand';
import { useEditor } from '../editor/context.js';
import { MenuPanel } from '../ui/MenuPanel.js';
import { menuStore } from './context-menu.js';

/** The context menu of whatever was clicked with the right button. */
export function ContextMenu() {
  const editor = useEditor();
  const open = useStore(menuStore, (state) => state.open);
  const close = () => menuStore.setState({ open: undefined });
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
      <MenuPanel
        aria-label="What can be done here"
        // It closes the menu and lets go of nothing else.
        onKeyDown={(event) => event.key === 'Escape' && event.nativeEvent.stopImmediatePropagation()}
      >
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
