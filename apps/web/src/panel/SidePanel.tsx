import { Box, chakra } from '@chakra-ui/react';
import { type KeyboardEvent, useRef } from 'react';
import { perform } from '../commands/command.js';
import { setView } from '../commands/view/view.js';
import { HelpLink } from '../controls/HelpLink.js';
import { useEditor, useSession } from '../editor/context.js';
import type { SessionState } from '../editor/session.js';

type Tab = SessionState['tab'];

/** A tab of the panel: its name, and what it shows. */
export interface PanelTab {
  readonly id: Tab;
  readonly name: React.ReactNode;
  readonly content: React.ReactNode;
  /** The step of Help that is about it. */
  readonly help: string;
}

/** What belongs to the lit layer, the picked joints and the pose book, one tab each. It scrolls, the map above does not. */
export function SidePanel({ tabs }: { tabs: readonly PanelTab[] }) {
  const editor = useEditor();
  const open = useSession((state) => state.tab);
  const row = useRef<HTMLDivElement>(null);
  const show = (tab: Tab) => perform(editor, setView, { tab });
  const onKeyDown = (event: KeyboardEvent) => {
    const by = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    if (by === undefined) return;
    const at = tabs.findIndex(({ id }) => id === open);
    const next = tabs[(at + by + tabs.length) % tabs.length];
    show(next.id);
    row.current?.querySelector<HTMLElement>(`#tab-${next.id}`)?.focus();
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <Box
      flex="1 1 0"
      minHeight="0"
      display="flex"
      flexDirection="column"
      borderTopWidth="1px"
      borderColor="line"
    >
      <Box display="flex" flex="none" alignItems="center" pr="2">
        <Box
          ref={row}
          role="tablist"
          aria-label="Panel"
          display="flex"
          flex="1"
          px="2"
          gap="1"
          onKeyDown={onKeyDown}
        >
          {tabs.map(({ id, name }) => (
            <chakra.button
              key={id}
              id={`tab-${id}`}
              type="button"
              role="tab"
              aria-selected={open === id}
              aria-controls={`panel-${id}`}
              tabIndex={open === id ? 0 : -1}
              onClick={() => show(id)}
              height="30px"
              px="2.5"
              cursor="pointer"
              color={open === id ? 'text' : 'quiet'}
              fontWeight={open === id ? '600' : '400'}
              borderBottomWidth="2px"
              borderColor={open === id ? 'lamp' : 'transparent'}
              _hover={{ color: 'text' }}
            >
              {name}
            </chakra.button>
          ))}
        </Box>
        <HelpLink step={tabs.find(({ id }) => id === open)?.help ?? ''} />
      </Box>
      {tabs
        .filter(({ id }) => id === open)
        .map(({ id, content }) => (
          <Box
            key={id}
            id={`panel-${id}`}
            role="tabpanel"
            aria-labelledby={`tab-${id}`}
            flex="1"
            minHeight="0"
            overflowY="auto"
            tabIndex={0}
          >
            {content}
          </Box>
        ))}
    </Box>
  );
}
