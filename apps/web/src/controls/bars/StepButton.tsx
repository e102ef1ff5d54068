import { Box, Menu } from '@chakra-ui/react';
import { Redo2, Undo2 } from 'lucide-react';
import { useRef, useState } from 'react';
import { useStore } from 'zustand';
import { perform } from '../../commands/command.js';
import { goSteps, redo, undo } from '../../commands/project/project.js';
import { useEditor } from '../../editor/context.js';
import { MenuPanel } from '../../ui/MenuPanel.js';
import { useLongPress } from '../../ui/use-long-press.js';
import { CommandButton } from '../CommandButton.js';

/** Steps that a list shows. */
const SHOWN = 20;

/**
 * Undo or redo: a click goes one step, and holding the button, a right click or the arrow down opens the list of steps,
 * of which any can be gone to at once.
 */
export function StepButton({ way }: { way: 'undo' | 'redo' }) {
  const editor = useEditor();
  const { kept } = editor;
  const [open, setOpen] = useState(false);
  const button = useRef<HTMLDivElement>(null);
  const back = way === 'undo';
  const { past, project, future } = useStore(kept.store);
  // What was done to come from each state to the next, the nearest first.
  const steps = back ? [project, ...past.slice(1).reverse()].slice(0, past.length) : future;
  const press = useLongPress(() => setOpen(steps.length > 0));
  const names = steps.slice(0, SHOWN).map((state) => kept.doneTo(state) ?? 'A step of before');
  return (
    <Menu.Root
      size="sm"
      open={open}
      onOpenChange={(details) => setOpen(details.open)}
      positioning={{
        placement: 'bottom-end',
        getAnchorRect: () => button.current?.getBoundingClientRect() ?? null,
      }}
    >
      <Box
        as="span"
        ref={button}
        display="inline-flex"
        {...press}
        onContextMenu={(event) => {
          event.preventDefault();
          setOpen(steps.length > 0);
        }}
        onKeyDown={(event) => {
          if (event.key !== 'ArrowDown' || steps.length === 0) return;
          event.preventDefault();
          event.stopPropagation();
          setOpen(true);
        }}
      >
        <CommandButton
          command={back ? undo : redo}
          arg={undefined}
          icon={back ? Undo2 : Redo2}
          does={names[0]}
          disabled={steps.length === 0}
        />
      </Box>
      <MenuPanel aria-label={back ? 'Steps to undo' : 'Steps to redo'} maxHeight="60vh" overflowY="auto">
        {names.map((name, k) => (
          <Menu.Item
            key={k}
            value={String(k)}
            onClick={() => perform(editor, goSteps, back ? -(k + 1) : k + 1)}
          >
            {name}
          </Menu.Item>
        ))}
        {steps.length > SHOWN && (
          <Menu.Item value="more" disabled>
            and {steps.length - SHOWN} more
          </Menu.Item>
        )}
      </MenuPanel>
    </Menu.Root>
  );
}
