import { Menu, Text } from '@chakra-ui/react';
import type { Mode } from '@evlay/core';
import { endingsText, openedEndings, TAKE_KINDS } from '@evlay/core/format';
import { playsOn } from '@evlay/core/match';
import { Clapperboard } from 'lucide-react';
import { useMemo, useRef } from 'react';
import { perform } from '../../commands/command.js';
import { addWalkAboveLit } from '../../commands/keys/walk.js';
import { bringIn } from '../../commands/scene/bring-in.js';
import { addTakeAboveLit } from '../../commands/stack/layers.js';
import { useEditor, useProject } from '../../editor/context.js';
import { MenuPanel } from '../../ui/MenuPanel.js';
import { AddButton } from './AddButton.js';

/** Adds a layer that plays a take: one that is here already, one from a file, or a walk by rule. */
export function AddTakeLayer() {
  const editor = useEditor();
  const all = useProject((project) => project.takes);
  const rig = useProject((project) => project.rig);
  // A take on another skeleton is fitted first, on Takes.
  const takes = useMemo(() => all.filter((take) => playsOn(rig, take)), [all, rig]);
  const input = useRef<HTMLInputElement>(null);
  const choose = (file: File | undefined) => {
    const step = Symbol('bring in');
    // It comes when it has been read: a drag that is under way then goes on.
    const asLayer = (take: string) =>
      addTakeAboveLit.run(editor, { take, mode: 'additive' }, (edit) => editor.history.edit(edit, step));
    if (file) perform(editor, bringIn, { files: [{ path: file.name, file }], step, take: asLayer });
  };
  const item = (id: string, mode: Mode) => (
    <Menu.Item
      key={mode}
      value={`${id} ${mode}`}
      onClick={() => perform(editor, addTakeAboveLit, { take: id, mode })}
    >
      as {mode} layer
    </Menu.Item>
  );
  return (
    <>
      <Menu.Root positioning={{ placement: 'top-start' }}>
        <Menu.Trigger asChild>
          <AddButton label="Add take layer" short="take" icon={<Clapperboard size={14} aria-hidden />} />
        </Menu.Trigger>
        <MenuPanel maxHeight="60vh" overflowY="auto">
          {takes.map((take) => (
            <Menu.ItemGroup key={take.id}>
              <Menu.ItemGroupLabel color="quiet" fontWeight="400">
                {take.name}
              </Menu.ItemGroupLabel>
              {item(take.id, 'additive')}
              {item(take.id, 'override')}
            </Menu.ItemGroup>
          ))}
          <Menu.Separator borderColor="line" />
          <Menu.Item value="walk" onClick={() => perform(editor, addWalkAboveLit, undefined)}>
            <Text>A walk by rule, from a few numbers</Text>
          </Menu.Item>
          <Menu.Item value="file" onClick={() => input.current?.click()}>
            <Text>Bring in a take ({endingsText(TAKE_KINDS)}) …</Text>
          </Menu.Item>
        </MenuPanel>
      </Menu.Root>
      <input
        ref={input}
        type="file"
        accept={openedEndings(TAKE_KINDS)}
        hidden
        aria-label="Take to bring in"
        onChange={(event) => {
          choose(event.target.files?.[0]);
          event.target.value = '';
        }}
      />
    </>
  );
}
