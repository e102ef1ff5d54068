import { Menu, Text } from '@chakra-ui/react';
import { Camera, Trash2 } from 'lucide-react';
import { type Command, perform, refusalOf } from '../../commands/command.js';
import { shortcutOf } from '../../commands/key-map.js';
import { bringHere, standAsInFile, standOnFloor } from '../../commands/scene/ground.js';
import {
  dropView,
  keepViewAs,
  lookFrom,
  lookFromFront,
  lookFromSide,
  lookFromTop,
} from '../../commands/view/views.js';
import { useEditor, useProject } from '../../editor/context.js';
import { MenuPanel } from '../../ui/MenuPanel.js';
import { ToolButton } from '../../ui/ToolButton.js';

/** From where the view looks: the sides of the character, and places that were kept. */
export function ViewsMenu() {
  const editor = useEditor();
  const views = useProject((project) => project.views);
  const keep = () => {
    const now = editor.viewpoint?.();
    let k = 1;
    while (views.some(({ name }) => name === `View ${k}`)) k++;
    if (now) perform(editor, keepViewAs, { name: `View ${k}`, ...now });
  };
  const entry = (command: Command) => (
    <Menu.Item
      key={command.name}
      value={command.name}
      disabled={refusalOf(editor, command, undefined) !== undefined}
      onClick={() => perform(editor, command, undefined)}
    >
      {command.name}
      <Menu.ItemCommand color="quiet">{shortcutOf(command)}</Menu.ItemCommand>
    </Menu.Item>
  );
  return (
    <Menu.Root positioning={{ placement: 'top-start' }} size="sm">
      <Menu.Trigger asChild>
        <ToolButton label="Look from" icon={Camera} />
      </Menu.Trigger>
      <MenuPanel>
        {[lookFromFront, lookFromSide, lookFromTop].map(entry)}
        <Menu.Separator borderColor="line" />
        {views.map((view) => (
          <Menu.Item key={view.name} value={view.name} onClick={() => perform(editor, lookFrom, view)}>
            {view.name}
          </Menu.Item>
        ))}
        <Menu.Item value="keep" onClick={keep}>
          Keep this view
        </Menu.Item>
        {views.map(({ name }) => (
          <Menu.Item
            key={`delete ${name}`}
            value={`delete ${name}`}
            onClick={() => perform(editor, dropView, name)}
          >
            <Trash2 size={13} aria-hidden />
            <Text color="quiet">Delete {name}</Text>
          </Menu.Item>
        ))}
        <Menu.Separator borderColor="line" />
        {[standOnFloor, bringHere, standAsInFile].map(entry)}
      </MenuPanel>
    </Menu.Root>
  );
}
