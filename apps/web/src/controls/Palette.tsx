import { Box, Dialog, Portal, Text } from '@chakra-ui/react';
import { Command } from 'cmdk';
import { useMemo } from 'react';
import { perform } from '../commands/command.js';
import { setView } from '../commands/view.js';
import { useEditor, useSession } from '../editor/context.js';
import { type PaletteGroup, paletteGroups } from './palette-entries.js';

/** All commands by name: typed for, with their keys, and why one cannot be done now. */
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
            <List onDone={close} />
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}

/** How well an entry suits what was typed: all of its words are in it, best where it begins with them. */
function suits(entry: string, typed: string): number {
  const [text, wanted] = [entry.toLowerCase(), typed.toLowerCase().trim()];
  if (text.startsWith(wanted)) return 1;
  return wanted.split(/\s+/).every((word) => text.includes(word)) ? 0.5 : 0;
}

function List({ onDone }: { onDone: () => void }) {
  const editor = useEditor();
  const groups = useMemo<readonly PaletteGroup[]>(() => paletteGroups(editor), [editor]);
  return (
    <Box
      css={{
        '& [cmdk-input]': {
          width: '100%',
          padding: '10px 14px',
          background: 'transparent',
          outline: 'none',
          borderBottom: '1px solid var(--evlay-colors-line)',
        },
        '& [cmdk-list]': { maxHeight: '52vh', overflowY: 'auto', padding: '6px' },
        '& [cmdk-group-heading]': {
          padding: '6px 8px 2px',
          fontSize: '12px',
          color: 'var(--evlay-colors-quiet)',
        },
        '& [cmdk-item]': {
          display: 'flex',
          alignItems: 'baseline',
          gap: '12px',
          padding: '4px 8px',
          borderRadius: '4px',
          cursor: 'pointer',
        },
        '& [cmdk-item][data-selected=true]': { background: 'var(--evlay-colors-raised)' },
        '& [cmdk-empty]': { padding: '12px', color: 'var(--evlay-colors-quiet)' },
      }}
    >
      <Command label="All commands" loop filter={suits}>
        <Command.Input placeholder="What do you want to do?" autoFocus />
        <Command.List>
          <Command.Empty>No command is called so.</Command.Empty>
          {groups
            .filter(({ entries }) => entries.length > 0)
            .map(({ name, entries }) => (
              <Command.Group key={name} heading={name}>
                {entries.map((entry, k) => {
                  const refused = entry.refused(editor);
                  return (
                    <Command.Item
                      key={entry.label}
                      value={`${entry.label} ${name} ${k}`}
                      onSelect={() => {
                        onDone();
                        entry.run(editor);
                      }}
                    >
                      <Text flex="none" maxWidth="70%" truncate color={refused ? 'quiet' : 'text'}>
                        {entry.label}
                      </Text>
                      <Text flex="1" truncate color="quiet" fontSize="12px">
                        {refused}
                      </Text>
                      <Text color="quiet" fontFamily="mono" fontSize="12px">
                        {entry.keys}
                      </Text>
                    </Command.Item>
                  );
                })}
              </Command.Group>
            ))}
        </Command.List>
      </Command>
    </Box>
  );
}
