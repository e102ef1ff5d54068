import { Text } from '@chakra-ui/react';
import { stancesOf } from '@evlay/core/edit';
import { Sparkles } from 'lucide-react';
import { useMemo, useState } from 'react';
import { repeatTouchUp, toggleTouchUp } from '../../commands/keys/touch-up.js';
import { CommandButton, CommandChoice } from '../../controls/CommandButton.js';
import { LocalNumber } from '../../controls/DragNumber.js';
import { useCalmProject, useEditor, useSession } from '../../editor/context.js';
import type { TouchUpReach } from '../../editor/session.js';
import { setPosing } from '../../editor/session.js';
import { Row } from '../../ui/Row.js';

/** Whether poses fade away on both sides, over how many frames and joints, and where the last one is repeated. */
export function TouchUpRows() {
  const editor = useEditor();
  const reach = useSession((state) => state.touchUp);
  const last = useSession((state) => state.lastTouchUp);
  const project = useCalmProject((current) => current);
  const [typed, setTyped] = useState<number>();
  const stances = useMemo(() => (last ? stancesOf(project) : []), [last, project]);
  // Between two stances of one foot lies a cycle.
  const second = stances.findIndex(({ joint }, k) => k > 0 && joint === stances[0].joint);
  const usual = second > 0 ? Math.round(stances[second].from - stances[0].from) : Math.round(project.fps);
  const period = typed ?? usual;
  const set = (values: Partial<TouchUpReach>) =>
    reach && setPosing(editor.session, { touchUp: { ...reach, ...values } });
  return (
    <>
      <Row label="touch-up">
        <CommandButton command={toggleTouchUp} arg={undefined} icon={Sparkles} on={reach !== undefined} />
        {reach ? (
          <>
            <LocalNumber
              label="Frames before a touch-up"
              read={() => reach.before}
              min={1}
              step={0.2}
              decimals={0}
              width="30px"
              onChange={(value) => set({ before: Math.round(value) })}
            />
            <Text color="quiet">in</Text>
            <LocalNumber
              label="Frames for which a touch-up holds"
              read={() => reach.hold}
              min={0}
              step={0.2}
              decimals={0}
              width="30px"
              onChange={(value) => set({ hold: Math.round(value) })}
            />
            <Text color="quiet">hold</Text>
            <LocalNumber
              label="Frames after a touch-up"
              read={() => reach.after}
              min={1}
              step={0.2}
              decimals={0}
              width="30px"
              onChange={(value) => set({ after: Math.round(value) })}
            />
            <Text color="quiet">out</Text>
          </>
        ) : (
          <Text color="quiet">a pose here fades away on both sides</Text>
        )}
      </Row>
      {reach && (
        <Row label="">
          <LocalNumber
            label="Neighbours that take part in a touch-up"
            read={() => reach.neighbours}
            min={0}
            max={8}
            step={0.05}
            decimals={0}
            width="26px"
            onChange={(value) => set({ neighbours: Math.round(value) })}
          />
          <Text color="quiet">joints beside it take part</Text>
        </Row>
      )}
      {last && (
        <Row label="again">
          <CommandChoice
            command={repeatTouchUp}
            arg={{ at: 'contacts' } as const}
            on={false}
            title="At every other contact of that foot"
          >
            contacts
          </CommandChoice>
          <CommandChoice
            command={repeatTouchUp}
            arg={{ at: 'mirrored' } as const}
            on={false}
            title="Mirrored, at the contacts of the other foot"
          >
            other foot
          </CommandChoice>
          <CommandChoice
            command={repeatTouchUp}
            arg={{ at: 'cycles', period } as const}
            on={false}
            title="Every so many frames"
          >
            every
          </CommandChoice>
          <LocalNumber
            label="Frames between touch-ups"
            read={() => period}
            min={1}
            step={0.2}
            decimals={0}
            width="36px"
            onChange={(value) => setTyped(Math.round(value))}
          />
          <Text color="quiet">f</Text>
        </Row>
      )}
    </>
  );
}
