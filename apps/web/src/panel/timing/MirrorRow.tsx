import { Text } from '@chakra-ui/react';
import { type Layer, layerIndex } from '@evlay/core';
import { FlipHorizontal2 } from 'lucide-react';
import { mirrorLayerMotion } from '../../commands/keys/timing.js';
import { CommandButton, CommandChoice } from '../../controls/CommandButton.js';
import { LocalNumber } from '../../controls/DragNumber.js';
import { frameUnits } from '../../controls/units.js';
import { useProject } from '../../editor/context.js';
import { Choice } from '../../ui/Choice.js';
import { Row } from '../../ui/Row.js';
import { useTiming } from './use-timing.js';

/** Motion of one side on the other one, at once or later. */
export function MirrorRow({ layer }: { layer: Layer }) {
  const fps = useProject((project) => project.fps);
  const cycle = useProject((project) => {
    const time = project.layers[layerIndex(project, layer.id)]?.time;
    return time && time.loop !== 'none' && time.cycle
      ? Math.abs((time.cycle[1] - time.cycle[0]) / (time.speed || 1))
      : undefined;
  });
  const [timing, setTiming] = useTiming();
  return (
    <Row label="mirror">
      <CommandButton
        command={mirrorLayerMotion}
        arg="all"
        label="Let both sides change places"
        icon={FlipHorizontal2}
      />
      <CommandChoice
        command={mirrorLayerMotion}
        arg="picked"
        on={false}
        title="What the picked joints do the other side does too"
      >
        picked
      </CommandChoice>
      <Text color="quiet">later by</Text>
      <LocalNumber
        label="Frames by which mirrored motion comes later"
        read={() => timing.shift}
        step={0.1}
        decimals={1}
        units={frameUnits(fps)}
        onChange={(shift) => setTiming({ shift })}
      />
      {cycle !== undefined && (
        <Choice on={timing.shift === cycle / 2} onClick={() => setTiming({ shift: cycle / 2 })}>
          half a cycle
        </Choice>
      )}
    </Row>
  );
}
