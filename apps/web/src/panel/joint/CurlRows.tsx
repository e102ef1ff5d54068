import { Text } from '@chakra-ui/react';
import { fingersOf } from '@evlay/core/solve';
import { type Curling, curlFingers, curlSeen, poseSeen } from '../../commands/poses/curl.js';
import { sidePicked } from '../../commands/poses/pose-book.js';
import { DragNumber } from '../../controls/DragNumber.js';
import { ANGLE_UNITS } from '../../controls/units.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { Row } from '../../ui/Row.js';

/** How far the fingers of the picked hand are curled, all together. */
export function CurlRows() {
  const editor = useEditor();
  const rig = useProject((project) => project.rig);
  const parts = useProject((project) => project.parts);
  const picked = useSession((state) => state.picked);
  const side = sidePicked(editor);
  const hand = picked.some((j) => /Hand$/.test(parts[j] ?? ''));
  if (!side || !hand || fingersOf(rig, side).length === 0) return null;
  return (
    <Row label="fingers">
      <Text color="quiet">curled</Text>
      <DragNumber
        label={`Curl of the fingers of the ${side} hand`}
        read={() => curlSeen(editor, side)}
        live
        min={-30}
        max={110}
        step={0.5}
        decimals={0}
        units={ANGLE_UNITS}
        command={curlFingers}
        start={(): Curling => ({ side, degrees: curlSeen(editor, side), from: poseSeen(editor) })}
        to={(degrees, _, from) => ({ side, degrees, from: from?.from })}
      />
      <Text color="quiet">° at every joint: 0 is flat, 80 a fist</Text>
    </Row>
  );
}
