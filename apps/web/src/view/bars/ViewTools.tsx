import { Box } from '@chakra-ui/react';
import {
  Anchor,
  Bone,
  Brush,
  Clapperboard,
  Columns2,
  Crosshair,
  Eye,
  Feather,
  Footprints,
  Gauge,
  Hand,
  Layers2,
  type LucideIcon,
  MapPinned,
  MessageSquare,
  Move3d,
  PersonStanding,
  Rotate3d,
  Route,
  Sailboat,
  Scaling,
} from 'lucide-react';
import { useShallow } from 'zustand/react/shallow';
import { openNotes } from '../../commands/project/notes.js';
import { toggleCompare } from '../../commands/view/comparing.js';
import { openFilm } from '../../commands/view/film.js';
import { makePaceEven, toggleBrush, toggleTrails } from '../../commands/view/trails.js';
import {
  chooseHandle,
  frameCharacter,
  setView,
  showAllParts,
  toggleLight,
} from '../../commands/view/view.js';
import { CommandButton } from '../../controls/CommandButton.js';
import { useSeen, useSession } from '../../editor/context.js';
import type { SessionState } from '../../editor/session.js';
import { useLightDisplay } from '../scene/use-light.js';
import { DrivenByMenu } from './DrivenByMenu.js';
import { ViewsMenu } from './ViewsMenu.js';

/** What the view shows and how a joint is handled, in its lower corner. */
export function ViewTools() {
  const { surface, follow, handle, placing, previewing, endKeepsAngle, feetStay, trails, brush } = useSession(
    useShallow(
      ({ surface, follow, handle, placing, previewing, endKeepsAngle, feetStay, trails, brush }) => ({
        surface,
        follow,
        handle,
        placing,
        previewing,
        endKeepsAngle,
        feetStay,
        trails,
        brush,
      }),
    ),
  );
  const light = useLightDisplay();
  const place = useSeen((project) => project.place);
  const surroundings = useSession((state) => state.surroundings);
  const comparing = useSession(({ compare }) => compare.open);
  const noted = useSession((state) => state.notes !== undefined);
  const filmed = useSession((state) => state.film !== undefined);
  const hidden = useSession((state) => state.hidden.length > 0);
  // Whether a joint can be moved depends on which is picked, and on what the lit layer moves.
  useSession((state) => state.picked);
  useSession((state) => state.lit);
  return (
    <Box
      position="absolute"
      left="3"
      bottom="3"
      // In front of the line that divides the view.
      zIndex="1"
      maxWidth="calc(100% - 24px)"
      display="flex"
      flexWrap="wrap-reverse"
      gap="2"
      role="toolbar"
      aria-label="View tools"
    >
      <Group>
        <SetView label="Skin" icon={PersonStanding} on={surface === 'skin'} to={{ surface: 'skin' }} />
        <SetView label="Bones" icon={Bone} on={surface === 'bones'} to={{ surface: 'bones' }} />
        <SetView label="Skin and bones" icon={Layers2} on={surface === 'both'} to={{ surface: 'both' }} />
      </Group>
      {!previewing && (
        <Group>
          <CommandButton
            command={chooseHandle}
            arg="turn"
            label={placing ? 'Turn the performance' : 'Turn joints'}
            icon={Rotate3d}
            on={handle === 'turn'}
          />
          <CommandButton
            command={chooseHandle}
            arg="move"
            label={placing ? 'Move the performance' : 'Move joints'}
            icon={Move3d}
            on={handle === 'move'}
          />
          {!placing && (
            <CommandButton
              command={chooseHandle}
              arg="scale"
              label="Scale joints"
              icon={Scaling}
              on={handle === 'scale'}
            />
          )}
          <SetView
            label="Place the lit layer’s performance"
            icon={MapPinned}
            on={placing}
            to={{ placing: !placing, ...(!placing && { handle: 'move' }) }}
          />
        </Group>
      )}
      {!previewing && !placing && (
        <Group>
          <SetView
            label="Feet stay where they are"
            icon={Anchor}
            on={feetStay}
            to={{ feetStay: !feetStay }}
          />
          {handle === 'move' && (
            <SetView
              label="Hand, foot or head keeps its angle"
              icon={Hand}
              on={endKeepsAngle}
              to={{ endKeepsAngle: !endKeepsAngle }}
            />
          )}
        </Group>
      )}
      <Group>
        <DrivenByMenu />
        <SetView label="Follow the character" icon={Footprints} on={follow} to={{ follow: !follow }} />
        <CommandButton command={frameCharacter} arg={undefined} icon={Crosshair} />
        <CommandButton command={toggleTrails} arg={undefined} icon={Route} on={trails} />
        {trails && <CommandButton command={toggleBrush} arg={undefined} icon={Brush} on={brush} />}
        {trails && <CommandButton command={makePaceEven} arg={undefined} icon={Gauge} />}
        <ViewsMenu />
        <CommandButton command={toggleCompare} arg={undefined} icon={Columns2} on={comparing} />
        {!previewing && <CommandButton command={openFilm} arg={undefined} icon={Clapperboard} on={filmed} />}
        {!previewing && <CommandButton command={openNotes} arg={undefined} icon={MessageSquare} on={noted} />}
        {place !== undefined && (
          <SetView
            label="Harbour around the character"
            icon={Sailboat}
            on={surroundings}
            to={{ surroundings: !surroundings }}
          />
        )}
        {hidden && <CommandButton command={showAllParts} arg={undefined} icon={Eye} />}
        <CommandButton command={toggleLight} arg={undefined} label="Draw lightly" icon={Feather} on={light} />
      </Group>
    </Box>
  );
}

interface SetViewProps {
  readonly label: string;
  readonly icon: LucideIcon;
  readonly on: boolean;
  readonly to: Partial<SessionState>;
}

const SetView = ({ to, ...props }: SetViewProps) => <CommandButton command={setView} arg={to} {...props} />;

function Group({ children }: { children: React.ReactNode }) {
  return (
    <Box display="flex" gap="1px" bg="panel" borderWidth="1px" borderColor="line" borderRadius="l2" p="2px">
      {children}
    </Box>
  );
}
