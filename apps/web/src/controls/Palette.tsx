import { Box, Combobox, createListCollection, Dialog, Portal, Text } from '@chakra-ui/react';
import { useMemo, useState } from 'react';
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

/**
 * How well an entry suits what was typed, the larger the better; undefined where not all of its words are in it. Best is one
 * that begins so, then one in which words begin so.
 */
function suits(label: string, typed: string): number | undefined {
  const text = label.toLowerCase();
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (!words.every((word) => text.includes(word))) return undefined;
  const whole = words.join(' ');
  const begun = words.filter((word) => ` ${text}`.includes(` ${word}`)).length;
  return (text.startsWith(whole) ? 4 : text.includes(whole) ? 2 : 0) + begun / words.length;
}

/** The entries that suit what was typed, the best first; all under their headings where nothing was. */
function found(all: readonly Item[], typed: string): Item[] {
  if (typed.trim() === '') return [...all];
  return all
    .flatMap((item) => {
      const suit = suits(item.entry.label, typed);
      return suit === undefined ? [] : [{ item, suit }];
    })
    .sort(
      (one, other) => other.suit - one.suit || one.item.entry.label.length - other.item.entry.label.length,
    )
    .map(({ item }) => item);
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
  const [typed, setTyped] = useState('');
  const sorted = typed.trim() !== '';
  const collection = useMemo(
    () =>
      createListCollection<Item>({
        items: found(initialItems, typed),
        itemToValue: ({ entry }) => entry.label,
        itemToString: ({ entry }) => entry.label,
        groupBy: ({ group }) => (sorted ? 'Found' : group),
      }),
    [initialItems, typed, sorted],
  );
  return (
    <Combobox.Root
      collection={collection}
      open
      inputBehavior="autohighlight"
      selectionBehavior="clear"
      loopFocus
      onInputValueChange={({ inputValue }) => setTyped(inputValue)}
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
