import { Menu } from '@chakra-ui/react';
import { Palette } from 'lucide-react';
import { perform } from '../../commands/command.js';
import { setView } from '../../commands/view/view.js';
import { useEditor, useSession } from '../../editor/context.js';
import { DRIVEN_BY } from '../../editor/session.js';
import { MenuPanel } from '../../ui/MenuPanel.js';
import { ToolButton } from '../../ui/ToolButton.js';

const NAMES: Record<(typeof DRIVEN_BY)[number], string> = {
  full: 'In full colour',
  edges: 'At the edges alone',
  off: 'Not on the figure',
};

/** How it is seen on the character which layers drive it. */
export function DrivenByMenu() {
  const editor = useEditor();
  const drivenBy = useSession((state) => state.drivenBy);
  return (
    <Menu.Root positioning={{ placement: 'top-start' }} size="sm">
      <Menu.Trigger asChild>
        <ToolButton label="Who drives, in colours" icon={Palette} on={drivenBy !== 'off'} />
      </Menu.Trigger>
      <MenuPanel>
        <Menu.RadioItemGroup
          value={drivenBy}
          onValueChange={({ value }) => perform(editor, setView, { drivenBy: value as typeof drivenBy })}
        >
          {DRIVEN_BY.map((look) => (
            <Menu.RadioItem key={look} value={look}>
              {NAMES[look]}
              <Menu.ItemIndicator />
            </Menu.RadioItem>
          ))}
        </Menu.RadioItemGroup>
      </MenuPanel>
    </Menu.Root>
  );
}
