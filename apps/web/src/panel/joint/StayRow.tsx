import { Anchor, Waypoints } from 'lucide-react';
import { perform } from '../../commands/command.js';
import { goAlong } from '../../commands/scene/paths.js';
import { stay } from '../../commands/scene/targets.js';
import { CommandButton, CommandChoice } from '../../controls/CommandButton.js';
import { useEditor } from '../../editor/context.js';
import { Row } from '../../ui/Row.js';
import { SpaceChoice } from './SpaceChoice.js';

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
