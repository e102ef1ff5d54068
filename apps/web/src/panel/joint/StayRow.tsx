import type { Snapped } from '@evlay/core/edit';
import { Anchor, Pointer, Waypoints } from 'lucide-react';
import { useState } from 'react';
import { perform } from '../../commands/command.js';
import { snapOnto, touchSurface } from '../../commands/poses/snap.js';
import { goAlong } from '../../commands/scene/paths.js';
import { stay } from '../../commands/scene/targets.js';
import { CommandButton, CommandChoice } from '../../controls/CommandButton.js';
import { useEditor, useSession } from '../../editor/context.js';
import { Row } from '../../ui/Row.js';
import { Select } from '../../ui/Select.js';
import { SpaceChoice } from './SpaceChoice.js';

const WHAT: readonly (readonly [Snapped, string])[] = [
  ['both', 'place, turn'],
  ['place', 'place'],
  ['turn', 'turn'],
];

/** Puts what is picked exactly onto something, at this frame or on the picked keys. */
export function SnapRow() {
  const editor = useEditor();
  const [what, setWhat] = useState<Snapped>('both');
  const touching = useSession((state) => state.touching);
  return (
    <Row label="put onto">
      <SpaceChoice
        label="Put it exactly onto a prop or joint"
        value={undefined}
        offer="…"
        onChoose={(goal) => goal !== undefined && perform(editor, snapOnto, { goal, what })}
      />
      <Select label="What of it is put there" value={what} onChoose={(one) => setWhat(one as Snapped)}>
        {WHAT.map(([value, name]) => (
          <option key={value} value={value}>
            {name}
          </option>
        ))}
      </Select>
      <CommandButton command={touchSurface} arg={undefined} icon={Pointer} on={touching} />
    </Row>
  );
}

/** Lets the picked joint stay where it is seen: here in the scene, or on a prop or another joint. */
export function StayRow() {
  const editor = useEditor();
  return (
    <Row label="stay">
      <CommandChoice
        command={stay}
        arg={{}}
        on={false}
        title="From the pose that is seen: a target holds it at this place of the scene"
      >
        here
      </CommandChoice>
      <SpaceChoice
        label="Stay on a prop or joint"
        value={undefined}
        offer="on …"
        onChoose={(space) => space !== undefined && perform(editor, stay, { space })}
      />
      <CommandButton command={stay} arg={{}} label="Stay here: make a target" icon={Anchor} />
      <CommandButton command={goAlong} arg={undefined} icon={Waypoints} />
    </Row>
  );
}
