import { Box } from '@chakra-ui/react';
import {
  Bone,
  Crosshair,
  Footprints,
  MapPinned,
  Move3d,
  Palette,
  PersonStanding,
  Rotate3d,
} from 'lucide-react';
import { setSession, useSession } from '../state/session-store.js';
import { ToolButton } from '../ui/ToolButton.js';
import { FRAME_EVENT } from './Scene.js';

/** What the view shows and how a joint is handled, in its lower corner. */
export function ViewTools() {
  const { surface, colours, follow, handle, placing, previewing } = useSession((state) => state);
  return (
    <Box
      position="absolute"
      left="3"
      bottom="3"
      display="flex"
      gap="2"
      role="toolbar"
      aria-label="View tools"
    >
      <Group>
        <ToolButton
          label="Skin"
          icon={PersonStanding}
          on={surface === 'skin'}
          onClick={() => setSession({ surface: 'skin' })}
        />
        <ToolButton
          label="Bones"
          icon={Bone}
          on={surface === 'bones'}
          onClick={() => setSession({ surface: 'bones' })}
        />
      </Group>
      {!previewing && (
        <Group>
          <ToolButton
            label={placing ? 'Turn the performance' : 'Turn joints'}
            icon={Rotate3d}
            on={handle === 'turn'}
            onClick={() => setSession({ handle: 'turn' })}
          />
          <ToolButton
            label={placing ? 'Move the performance' : 'Move joints'}
            icon={Move3d}
            on={handle === 'move'}
            onClick={() => setSession({ handle: 'move' })}
          />
          <ToolButton
            label="Place the lit layer’s performance"
            icon={MapPinned}
            on={placing}
            onClick={() => setSession({ placing: !placing, ...(!placing && { handle: 'move' }) })}
          />
        </Group>
      )}
      <Group>
        <ToolButton
          label="Colour by who drives"
          icon={Palette}
          on={colours}
          onClick={() => setSession({ colours: !colours })}
        />
        <ToolButton
          label="Follow the character"
          icon={Footprints}
          on={follow}
          onClick={() => setSession({ follow: !follow })}
        />
        <ToolButton
          label="Frame the character"
          icon={Crosshair}
          onClick={() => window.dispatchEvent(new Event(FRAME_EVENT))}
        />
      </Group>
    </Box>
  );
}

function Group({ children }: { children: React.ReactNode }) {
  return (
    <Box display="flex" gap="1px" bg="panel" borderWidth="1px" borderColor="line" borderRadius="l2" p="2px">
      {children}
    </Box>
  );
}
