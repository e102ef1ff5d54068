import { Button, Text } from '@chakra-ui/react';
import { restPose } from '@evlay/core';
import { copyPose } from '@evlay/core/rig';
import { scaledBy } from '@evlay/core/solve';
import { useRef, useState } from 'react';
import { perform } from '../../commands/command.js';
import { type Posing, showPose } from '../../commands/poses/pose.js';
import { keepsVolume, stretchBones } from '../../commands/view/view.js';
import { CommandChoice } from '../../controls/CommandButton.js';
import { DragNumber } from '../../controls/DragNumber.js';
import { useEditor, useSession } from '../../editor/context.js';
import type { Editor } from '../../editor/editor.js';
import { Row } from '../../ui/Row.js';

/** How large the joint that has the handles is seen: the cube root of its three scales. */
function sizeSeen({ stage, session }: Editor): number {
  const j = session.getState().picked.at(-1);
  const { pose } = stage.get();
  if (j === undefined || 3 * j >= pose.scales.length) return 1;
  const [x, y, z] = pose.scales.subarray(3 * j, 3 * j + 3);
  return Math.cbrt(x * y * z);
}

/** The pose that is seen, as it was when a drag began. */
function kept({ stage }: Editor) {
  const { project, pose } = stage.get();
  const before = restPose(project.rig);
  copyPose(before, pose);
  return before;
}

/** Whether any joint may be moved and scaled, which is asked in place; then its size as one number, and squash and stretch. */
export function StretchRow() {
  const editor = useEditor();
  const stretching = useSession((state) => state.stretching);
  const keepVolume = useSession((state) => state.keepVolume);
  const [asked, setAsked] = useState(false);
  const sized = (value: number, from = kept(editor)): Posing => {
    const { picked } = editor.session.getState();
    const last = picked.at(-1)!;
    const [x, y, z] = from.scales.subarray(3 * last, 3 * last + 3);
    const by = value / Math.cbrt(x * y * z);
    return new Map(picked.map((j) => [j, { scale: scaledBy(from, j, [by, by, by]) }]));
  };
  /** What a drag began from. */
  const began = useRef<ReturnType<typeof kept>>(undefined);
  if (!stretching && !asked)
    return (
      <Row label="bones">
        <Button size="2xs" variant="outline" onClick={() => setAsked(true)}>
          Move and scale it too …
        </Button>
      </Row>
    );
  if (!stretching)
    return (
      <Row label="bones">
        <Text>Bones will stretch.</Text>
        <Button size="2xs" onClick={() => perform(editor, stretchBones, true)}>
          Let them
        </Button>
        <Button size="2xs" variant="ghost" onClick={() => setAsked(false)}>
          Leave it
        </Button>
      </Row>
    );
  return (
    <Row label="size">
      <DragNumber
        label="Size of what is picked, as seen"
        read={() => sizeSeen(editor)}
        live
        min={0.01}
        step={0.005}
        decimals={2}
        units={{ '%': 0.01 }}
        command={showPose}
        start={(): Posing => {
          began.current = kept(editor);
          return new Map();
        }}
        to={(value, _, from) => sized(value, from && began.current)}
      />
      <CommandChoice
        command={keepsVolume}
        arg={!keepVolume}
        on={keepVolume}
        title="Squash and stretch: scaled along one axis it gets thinner along the others"
      >
        keep volume
      </CommandChoice>
      <Button
        size="2xs"
        variant="ghost"
        onClick={() => {
          setAsked(false);
          perform(editor, stretchBones, false);
        }}
      >
        Stretch no more
      </Button>
    </Row>
  );
}
