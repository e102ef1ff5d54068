import { Box, Text } from '@chakra-ui/react';
import type { KeyPick } from '@evlay/core';
import { curvesOf } from '@evlay/core/edit';
import { ClipboardPaste, Copy, FlipHorizontal, Grid2x2Check, Scissors, Trash2 } from 'lucide-react';
import { memo } from 'react';
import {
  copyKeys,
  cutKeys,
  deleteKeys,
  moveKeys,
  pasteCopied,
  reverseKeys,
  scaleKeys,
  snapKeys,
} from '../../commands/keys/keys.js';
import { CommandButton } from '../../controls/CommandButton.js';
import { DragNumber } from '../../controls/DragNumber.js';
import { frameUnits } from '../../controls/units.js';
import { useCalmProject, useEditor, useFirst, useProject, useSession } from '../../editor/context.js';
import { pickedEnds } from './picked-ends.js';

/** What is done with the picked keys, in numbers and by buttons; nothing where none is picked. */
export const PickedKeys = memo(function PickedKeys() {
  const editor = useEditor();
  const picks = useSession((state) => state.keys);
  useSession((state) => state.copied);
  if (picks.length === 0) return null;
  const count = picks.reduce((sum, { keys }) => sum + keys.length, 0);
  const before = () => curvesOf(editor.history.project(), picks);
  return (
    <Box display="flex" alignItems="center" gap="1" aria-label="Picked keys" role="group" whiteSpace="nowrap">
      <Text color="lamp">
        {count} {count === 1 ? 'key' : 'keys'}
      </Text>
      <Text color="quiet">at</Text>
      <FirstFrame picks={picks} />
      <Text color="quiet">scale</Text>
      <DragNumber
        label="Scale of the picked keys about the playhead"
        read={() => 1}
        min={0.01}
        step={0.005}
        decimals={2}
        width="40px"
        units={{ '%': 0.01 }}
        command={scaleKeys}
        start={() => ({ picks, factor: 1, about: editor.playhead.get(), before: before() })}
        to={(factor, _, from) => ({
          picks,
          factor,
          about: from?.about ?? editor.playhead.get(),
          before: from?.before ?? before(),
        })}
      />
      <CommandButton command={reverseKeys} arg={undefined} icon={FlipHorizontal} />
      <CommandButton command={snapKeys} arg={undefined} icon={Grid2x2Check} />
      <CommandButton command={cutKeys} arg={undefined} icon={Scissors} />
      <CommandButton command={copyKeys} arg={undefined} icon={Copy} />
      <CommandButton command={pasteCopied} arg={undefined} icon={ClipboardPaste} />
      <CommandButton command={deleteKeys} arg={undefined} icon={Trash2} />
    </Box>
  );
});

/** The frame on which the first picked key stands; dragged or typed, it moves them all. */
function FirstFrame({ picks }: { picks: readonly KeyPick[] }) {
  const editor = useEditor();
  const fps = useProject((project) => project.fps);
  const first = () => pickedEnds(editor.history.project(), picks)?.[0] ?? 0;
  // Rendered again when the keys move.
  useCalmProject((project) => pickedEnds(project, picks)?.[0]);
  const before = () => curvesOf(editor.history.project(), picks);
  return (
    <DragNumber
      label="Frame of the first picked key"
      read={() => first()}
      step={0.2}
      decimals={0}
      width="46px"
      units={frameUnits(fps)}
      origin={useFirst()}
      command={moveKeys}
      start={() => ({ picks, by: first(), before: before() })}
      to={(value, _, from) => {
        const start = from?.by ?? first();
        return { picks, by: Math.round(value) - start, before: from?.before ?? before() };
      }}
    />
  );
}
