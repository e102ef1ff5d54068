import { Box, Combobox, Dialog, Portal, Text, useListCollection } from '@chakra-ui/react';
import { useMemo } from 'react';
import { perform } from '../commands/command.js';
import { setView } from '../commands/view/view.js';
import { useEditor, useSession } from '../editor/context.js';
import type { MenuEntry } from './context-menu.js';
import { paletteGroups } from './palette-entries.js';

/** All commands by name: typed for, with their shortcuts, and why one cannot be done now. */
export function Palette() {
  const editor = useEditor();
  const open = useSession((state) => state.palette);
  const close = () => perform(editor, setView, { palette: false });
  return (
    <Dialog.Root
      open={open}
      onOpenChange={(details) => !details.open && close()}
      placement="top"
      lazyMount
      unmountOnExit
    >
      <Portal>
        <Dialog.Backdrop bg="ground/60" />
        <Dialog.Positioner>
          <Dialog.Content
            aria-label="All commands"
            bg="panel"
            borderWidth="1px"
            borderColor="line"
            maxWidth="560px"
            mt="12vh"
            overflow="hidden"
          >
            <Commands onDone={close} />
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}

/** An entry with the heading that it stands under. */
interface Item {
  readonly entry: MenuEntry;
  readonly group: string;
}

/** Whether an entry suits what was typed: all of its words are in it. */
function suits(label: string, typed: string): boolean {
  const text = label.toLowerCase();
  return typed
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
}

function Commands({ onDone }: { onDone: () => void }) {
  const editor = useEditor();
  const initialItems = useMemo(
    () =>
      paletteGroups(editor).flatMap(({ name, entries }) =>
        entries.map((entry): Item => ({ entry, group: name })),
      ),
    [editor],
  );
  const { collection, filter } = useListCollection<Item>({
    initialItems,
    itemToValue: ({ entry }) => entry.label,
    itemToString: ({ entry }) => entry.label,
    groupBy: ({ group }) => group,
    filter: suits,
  });
  return (
    <Combobox.Root
      collection={collection}
      open
      inputBehavior="autohighlight"
      selectionBehavior="clear"
      loopFocus
      onInputValueChange={({ inputValue }) => filter(inputValue)}
      onValueChange={({ items: [chosen] }) => {
        if (!chosen) return;
        onDone();
        chosen.entry.run(editor);
      }}
      onOpenChange={({ open }) => !open && onDone()}
    >
      <Combobox.Control>
        <Combobox.Input
          aria-label="All commands"
          placeholder="What do you want to do?"
          autoFocus
          border="none"
          bg="transparent"
          outline="none"
          height="40px"
          borderBottomWidth="1px"
          borderColor="line"
          borderRadius="0"
        />
      </Combobox.Control>
      <Combobox.Content
        bg="transparent"
        boxShadow="none"
        maxHeight="52vh"
        overflowY="auto"
        p="1.5"
        aria-label="Commands found"
      >
        <Combobox.Empty>
          <Text p="2" color="quiet">
            No command is called so.
          </Text>
        </Combobox.Empty>
        {collection.group().map(([group, items]) => (
          <Combobox.ItemGroup key={group}>
            <Combobox.ItemGroupLabel color="quiet" fontWeight="400" fontSize="12px">
              {group}
            </Combobox.ItemGroupLabel>
            {items.map((item) => (
              <CommandItem key={item.entry.label} item={item} refused={item.entry.refused(editor)} />
            ))}
          </Combobox.ItemGroup>
        ))}
      </Combobox.Content>
    </Combobox.Root>
  );
}

/** One command: dimmed with the reason where it cannot be done now; chosen all the same, it tells the way on. */
function CommandItem({ item, refused }: { item: Item; refused: string | undefined }) {
  return (
    <Combobox.Item item={item} gap="3" alignItems="baseline" py="1" cursor="pointer">
      <Text flex="none" maxWidth="70%" truncate color={refused ? 'quiet' : 'text'}>
        {item.entry.label}
      </Text>
      <Text flex="1" truncate color="quiet" fontSize="12px">
        {refused}
      </Text>
      <Box as="span" color="quiet" fontFamily="mono" fontSize="12px">
        {item.entry.shortcut}
      </Box>
    </Combobox.Item>
  );
}
