import { Box, Text } from '@chakra-ui/react';
import { entryOf, type Layer } from '@evlay/core';
import { downTheChain } from '@evlay/core/edit';
import { overlapNow, slideKeys } from '../../commands/keys/worked-out.js';
import { DragNumber } from '../../controls/DragNumber.js';
import { frameUnits } from '../../controls/units.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { Choice } from '../../ui/Choice.js';
import { Row } from '../../ui/Row.js';
import { useTiming } from './use-timing.js';

/** Slides the keys of picked joints one after another; their order is written below. */
export function OverlapRows({ layer }: { layer: Layer }) {
  const editor = useEditor();
  const fps = useProject((project) => project.fps);
  const picked = useSession((state) => state.picked);
  const [timing, setTiming] = useTiming();
  const project = editor.history.project();
  const keyed = layer.content.kind === 'curves' ? layer.content.channels : {};
  const joints = (timing.downTheChain ? downTheChain(project, picked) : picked).filter((j) =>
    entryOf(keyed, project.rig.joints[j]?.name ?? ''),
  );
  const names = joints.flatMap((j) => project.rig.joints[j]?.name ?? []);
  return (
    <>
      <Row label="overlap">
        <DragNumber
          label="Frames by which each joint is later than the one before"
          read={() => overlapNow(editor, joints).frames}
          step={0.05}
          decimals={2}
          units={frameUnits(fps)}
          width="44px"
          command={slideKeys}
          to={(frames, alt) => ({ joints, frames: alt ? Math.round(frames) : frames })}
        />
        <Text color="quiet">frames</Text>
        <DragNumber
          label="How large the values of each joint are beside the one before"
          read={() => overlapNow(editor, joints).growth}
          min={0}
          max={4}
          step={0.005}
          decimals={2}
          units={{ '%': 0.01 }}
          command={slideKeys}
          to={(growth) => ({ joints, growth })}
        />
        <Text color="quiet" whiteSpace="nowrap">
          as large
        </Text>
        <Box flex="1" />
        <Choice
          on={timing.downTheChain}
          title="Joints nearer to the root come first; else in the order in which they were picked"
          onClick={() => setTiming({ downTheChain: !timing.downTheChain })}
        >
          chain
        </Choice>
      </Row>
      <Row label="">
        <Text
          color="quiet"
          fontSize="12px"
          truncate
          title={names.join(' → ')}
          aria-label="Order of the overlap"
        >
          {names.length < 2
            ? 'Pick keyed joints in the order in which they follow each other.'
            : names.map((name, k) => `${k + 1} ${name}`).join(' → ')}
        </Text>
      </Row>
    </>
  );
}
