import { Box, Text } from '@chakra-ui/react';
import { frameNumber, type Layer, layerById, type Project } from '@evlay/core';
import { type LetThrough, letThroughSteps } from '@evlay/core/edit';
import { partLabel } from '@evlay/core/rig';
import { TriangleAlert } from 'lucide-react';
import { useEffect, useState } from 'react';
import { perform } from '../../commands/command.js';
import { scrub } from '../../commands/view/transport.js';
import { useEditor } from '../../editor/context.js';
import { workWhenCalm } from '../../editor/when-calm.js';
import { Choice } from '../../ui/Choice.js';

/** Says where the layer and another one, each of which counts in part, let more of what is below them through than 1 %. */
export function LetThroughRow({ layer }: { layer: Layer }) {
  const editor = useEditor();
  const [found, setFound] = useState<{ readonly of: string; readonly said: LetThrough | undefined }>();
  const { id, mode } = layer;
  useEffect(() => {
    if (mode !== 'override') return;
    const look = () => {
      const { project, stack } = editor.stage.get();
      return letThroughSteps(project, id, stack);
    };
    return workWhenCalm(editor, look, (said) => setFound({ of: id, said }));
  }, [editor, id, mode]);
  const said = found?.of === id && mode === 'override' ? found.said : undefined;
  if (!said) return null;
  const name = (project: Project) =>
    layerById(project, said.layers.find((one) => one !== id) ?? '')?.name ?? '';
  return (
    <Box display="flex" alignItems="center" gap="1.5" role="status" color="alarm" fontSize="12px">
      <TriangleAlert size={14} aria-hidden />
      <Text flex="1" lineHeight="1.3">
        With “{name(editor.history.project())}” it lets {Math.round(100 * said.amount)} % of what is below
        through: {partLabel(said.part)}, frame {frameNumber(editor.history.project(), said.frame)}
      </Text>
      <Choice on={false} onClick={() => perform(editor, scrub, said.frame)}>
        go there
      </Choice>
    </Box>
  );
}
