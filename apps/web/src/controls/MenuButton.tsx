import { chakra, type HTMLChakraProps } from '@chakra-ui/react';
import { ChevronDown } from 'lucide-react';
import { useEditor } from '../editor/context.js';
import { type MenuEntry, menuStore } from './context-menu.js';

interface MenuButtonProps extends HTMLChakraProps<'button'> {
  /** What it is called to those who cannot see it, where the text on it does not say enough. */
  readonly label?: string;
  readonly entries: () => readonly MenuEntry[];
}

/** A word that opens a menu of commands below it. */
export function MenuButton({ label, entries, children, ...style }: MenuButtonProps) {
  // The menu is of the editor around it.
  useEditor();
  return (
    <chakra.button
      type="button"
      aria-label={label}
      title={label}
      aria-haspopup="menu"
      onClick={(event) => {
        const { left, bottom } = event.currentTarget.getBoundingClientRect();
        menuStore.setState({ open: { x: left, y: bottom + 2, entries: entries() } });
      }}
      display="inline-flex"
      alignItems="center"
      gap="0.5"
      height="22px"
      px="1.5"
      borderRadius="l1"
      color="quiet"
      cursor="pointer"
      flex="none"
      _hover={{ color: 'text', bg: 'raised' }}
      {...style}
    >
      {children}
      <ChevronDown size={12} aria-hidden />
    </chakra.button>
  );
}
