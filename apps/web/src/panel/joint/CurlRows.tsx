import { Text } from '@chakra-ui/react';
import { fingersOf } from '@evlay/core/solve';
import { type Curling, curlFingers, curlSeen, poseSeen } from '../../commands/poses/curl.js';
import { sidesPicked } from '../../commands/poses/pose-book.js';
import { DragNumber } from '../../controls/DragNumber.js';
import { ANGLE_UNITS } from '../../controls/units.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { useLitRig } from '../../editor/lit-character.js';
import { Row } from '../../ui/Row.js';

/** How far the fingers of the picked hands are curled, all together. */
export function CurlRows() {
  const editor = useEditor();
  const rig = useLitRig();
  const parts = useProject((project) => project.parts);
  const picked = useSession((state) => state.picked);
  const hands = picked.some((j) => /Hand$/.test(parts[j] ?? ''));
  const sides = sidesPicked(editor).filter((side) => fingersOf(rig, side).length > 0);
  if (!hands || sides.length === 0) return null;
  return (
    <Row label="fingers">
      <Text color="quiet">curled</Text>
      <DragNumber
        label={
          sides.length > 1
            ? 'Curl of the fingers of both hands'
            : `Curl of the fingers of the ${sides[0]} hand`
        }
        read={() => curlSeen(editor, sides)}
        live
        min={-30}
        max={110}
        step={0.5}
        decimals={0}
        units={ANGLE_UNITS}
        command={curlFingers}
        start={(): Curling => ({ sides, degrees: curlSeen(editor, sides), from: poseSeen(editor) })}
        to={(degrees, _, from) => ({ sides, degrees, from: from?.from })}
      />
      <Text color="quiet">° at every joint: 0 is flat, 80 a fist</Text>
    </Row>
  );
}
