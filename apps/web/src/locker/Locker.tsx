import { Box, chakra, Input, Text } from '@chakra-ui/react';
import type { LockerKind } from '@evlay/core/format';
import { Check, Download, Pencil, Plus, Trash2, Upload, X } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { useStore } from 'zustand';
import { perform } from '../commands/command.js';
import { keepLayers, openKitMaking, toggleLocker } from '../commands/kits/kits.js';
import { loadLocker, poseItem, putThing, saveLocker } from '../commands/kits/locker.js';
import { CommandChoice } from '../controls/CommandButton.js';
import { useEditor } from '../editor/context.js';
import { changeInLocker, lockerStore, openLocker, takeOutOfLocker } from '../jobs/locker.js';
import { changePoseLibrary, openPoseLibrary, poseLibrary } from '../jobs/pose-library.js';
import { PosePicture } from '../poses/PosePicture.js';
import type { Stored } from '../storage/locker.js';
import { Choice } from '../ui/Choice.js';
import { NameField } from '../ui/NameField.js';
import { ToolButton } from '../ui/ToolButton.js';
import { THING } from './drop.js';

const HIGH = 176;
const KINDS: readonly (readonly [LockerKind | 'all', string])[] = [
  ['all', 'all'],
  ['kit', 'kits'],
  ['layer', 'layers'],
  ['pose', 'poses'],
  ['take', 'takes'],
  ['character', 'characters'],
];

/** What is kept across projects: a drawer at the lower edge, from which things are dragged onto a lane or the character. */
export function Locker() {
  const editor = useEditor();
  const items = useStore(lockerStore, (state) => state.items);
  const poses = useStore(poseLibrary, (state) => state.poses);
  const [kind, setKind] = useState<LockerKind | 'all'>('all');
  const [wanted, setWanted] = useState('');
  const [edited, setEdited] = useState<string>();
  const file = useRef<HTMLInputElement>(null);
  useEffect(() => {
    void openLocker();
    void openPoseLibrary();
  }, []);
  const all = useMemo(
    (): Stored[] => [...(items ?? []), ...(poses ?? []).map((pose) => ({ ...poseItem(pose), added: 0 }))],
    [items, poses],
  );
  const words = wanted.trim().toLowerCase();
  const shown = all.filter(
    (item) =>
      (kind === 'all' || item.kind === kind) &&
      [item.name, item.kind, ...item.tags].some((text) => text.toLowerCase().includes(words)),
  );
  return (
    <Box
      as="section"
      aria-label="Locker"
      flex="none"
      height={`${HIGH}px`}
      display="flex"
      flexDirection="column"
      bg="panel"
      borderTopWidth="1px"
      borderColor="line"
    >
      <Box display="flex" alignItems="center" gap="2" px="3" height="32px" flex="none">
        <Text as="h2" fontWeight="600">
          Locker
        </Text>
        {KINDS.map(([one, text]) => (
          <Choice key={one} on={kind === one} onClick={() => setKind(one)}>
            {text}
          </Choice>
        ))}
        <Input
          size="xs"
          height="24px"
          width="150px"
          type="search"
          aria-label="Find in the locker"
          placeholder="find"
          value={wanted}
          onChange={({ target }) => setWanted(target.value)}
        />
        <Box flex="1" />
        <CommandChoice
          command={keepLayers}
          arg={undefined}
          on={false}
          title="Each as it is, for other stacks"
        >
          keep the picked layers
        </CommandChoice>
        <CommandChoice command={openKitMaking} arg={undefined} on={false}>
          make a kit of them
        </CommandChoice>
        <input
          ref={file}
          type="file"
          hidden
          accept=".evlay-locker"
          aria-label="Locker file"
          onChange={({ target }) => {
            const [chosen] = target.files ?? [];
            if (chosen) void loadLocker(chosen);
            target.value = '';
          }}
        />
        <ToolButton label="Load a locker file" icon={Upload} onClick={() => file.current?.click()} />
        <ToolButton label="Save the locker as a file" icon={Download} onClick={() => void saveLocker()} />
        <ToolButton
          label="Close the locker"
          icon={X}
          onClick={() => perform(editor, toggleLocker, undefined)}
        />
      </Box>
      {items !== undefined && all.length === 0 && (
        <Text color="quiet" px="3" pt="2" maxWidth="760px">
          Here is kept what serves other takes and projects: kits of layers, single layers, poses, takes. Pick
          layers and keep them, or make a kit of them; drag what is here onto a lane or the character.
        </Text>
      )}
      {all.length > 0 && shown.length === 0 && (
        <Text color="quiet" px="3" pt="2">
          Nothing here is called so.
        </Text>
      )}
      <Box
        as="ul"
        listStyleType="none"
        aria-label="Things in the locker"
        flex="1"
        minHeight="0"
        display="flex"
        gap="2"
        px="3"
        pb="2"
        overflowX="auto"
        overflowY="hidden"
        data-scrolls
      >
        {shown.map((item) => (
          <Thing
            key={item.id}
            item={item}
            edited={edited === item.id}
            onEdit={(on) => setEdited(on ? item.id : undefined)}
          />
        ))}
      </Box>
    </Box>
  );
}

interface ThingProps {
  readonly item: Stored;
  readonly edited: boolean;
  readonly onEdit: (on: boolean) => void;
}

/** One thing: a click or a drop puts it on; name and tags can be changed. */
function Thing({ item, edited, onEdit }: ThingProps) {
  const editor = useEditor();
  const pose = useStore(poseLibrary, ({ poses }) =>
    item.kind === 'pose' ? poses?.find(({ id }) => id === item.id) : undefined,
  );
  const rename = (name: string) =>
    pose
      ? void changePoseLibrary((poses) => poses.map((one) => (one.id === item.id ? { ...one, name } : one)))
      : void changeInLocker(item, { name });
  const tag = (text: string) => {
    const tags = text.split(',').flatMap((one) => one.trim() || []);
    if (pose)
      void changePoseLibrary((poses) => poses.map((one) => (one.id === item.id ? { ...one, tags } : one)));
    else void changeInLocker(item, { tags });
  };
  const takeOut = () => {
    if (pose) void changePoseLibrary((poses) => poses.filter(({ id }) => id !== item.id));
    else void takeOutOfLocker(item);
  };
  return (
    <Box
      as="li"
      flex="none"
      width="146px"
      display="flex"
      flexDirection="column"
      borderWidth="1px"
      borderColor="line"
      borderRadius="l2"
      bg="raised"
      overflow="hidden"
    >
      <chakra.button
        type="button"
        draggable
        onDragStart={(event) => {
          event.dataTransfer.setData(THING, JSON.stringify({ id: item.id, pose: pose !== undefined }));
          event.dataTransfer.effectAllowed = 'copy';
        }}
        onClick={() => void putThing(editor, { item })}
        aria-label={`Put on ${item.name}`}
        title={`${item.name}: click to put it on, or drag it onto a lane or the character`}
        data-does="Click to put it on; drag it onto a lane, which it comes above, or onto the character"
        height="84px"
        flex="none"
        bg="ground"
        cursor="grab"
        display="flex"
        justifyContent="center"
        alignItems="center"
      >
        {pose ? (
          <PosePicture pose={pose} size={80} />
        ) : item.picture ? (
          <chakra.img src={item.picture} alt="" width="144px" height="84px" draggable={false} />
        ) : (
          <Plus size={22} aria-hidden />
        )}
      </chakra.button>
      {edited ? (
        <Box px="1" py="0.5" display="grid" gridTemplateColumns="1fr 24px" gap="0.5" alignItems="center">
          <NameField label={`Name of ${item.name}`} name={item.name} onRename={rename} />
          <ToolButton label={`Done with ${item.name}`} icon={Check} onClick={() => onEdit(false)} />
          <NameField label={`Tags of ${item.name}, by commas`} name={item.tags.join(', ')} onRename={tag} />
        </Box>
      ) : (
        <Box px="1.5" pt="0.5" flex="1" minHeight="0">
          <Text truncate title={item.name}>
            {item.name}
          </Text>
          <Box display="flex" alignItems="center">
            <Text color="quiet" fontSize="12px" truncate flex="1">
              {[item.kind, ...item.tags].join(', ')}
            </Text>
            <ToolButton label={`Name and tags of ${item.name}`} icon={Pencil} onClick={() => onEdit(true)} />
            <ToolButton label={`Take ${item.name} out`} icon={Trash2} onClick={takeOut} />
          </Box>
        </Box>
      )}
    </Box>
  );
}
