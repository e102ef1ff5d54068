import { Box, Text } from '@chakra-ui/react';
import { perform } from '../../commands/command.js';
import { closeSeams, moveSeam } from '../../commands/scene/takes.js';
import { useEditor, useFirst, useProject, useSession } from '../../editor/context.js';
import { Choice } from '../../ui/Choice.js';
import { Select } from '../../ui/Select.js';
import { WorkPanel } from './WorkPanel.js';

/** Where joined takes take over from one another: each seam is gone to, and taken at another crossing. */
export function SeamPanel() {
  const editor = useEditor();
  const first = useFirst();
  const joined = useSession((state) => state.joined);
  const changed = useProject((project) => joined !== undefined && project !== joined.after);
  const unit = useProject((project) => 100 * project.metresPerUnit);
  const working = useSession((state) => state.working !== undefined);
  if (!joined) return null;
  return (
    <WorkPanel
      label="Seams"
      help="Blend"
      leave={closeSeams.name}
      onLeave={() => perform(editor, closeSeams, undefined)}
    >
      <Text color="quiet" fontSize="12px">
        Where each take takes over from the one before it. Go there and play; choose another crossing, and the
        takes behind it follow.
      </Text>
      {changed && (
        <Text color="lamp" fontSize="12px">
          The stack was changed since: undo to here to move a seam, or find crossings of two picked layers.
        </Text>
      )}
      <Box as="ol" listStyleType="none" aria-label="Seams" display="flex" flexDirection="column" gap="2">
        {joined.seams.map(({ from, to, crossing, found, layer }, seam) => (
          <Box as="li" key={layer} borderTopWidth="1px" borderColor="line" pt="1">
            <Box display="flex" alignItems="center" gap="1">
              <Text flex="1" truncate title={`From “${from}” to “${to}”`}>
                {from} → {to}
              </Text>
              <Choice
                on={false}
                title="Goes to the seam"
                onClick={() => {
                  editor.transport.goTo(Math.round(crossing.frame));
                  editor.session.light(layer);
                }}
              >
                go to {first + Math.round(crossing.frame)}
              </Choice>
            </Box>
            <Box display="flex" mt="1" opacity={working ? 0.5 : 1}>
              <Select
                label={`Crossing from ${from} to ${to}`}
                value={String(found.indexOf(crossing))}
                onChoose={(choice) => perform(editor, moveSeam, { seam, choice: Number(choice) })}
              >
                {found.map(({ frame, other, alignment, slide, held }, k) => (
                  <option key={`${frame} ${other}`} value={k}>
                    {`frame ${first + Math.round(frame)}, ${(unit * alignment.distance).toFixed(1)} cm apart, ${slideText(unit * slide, held !== undefined)}`}
                  </option>
                ))}
              </Select>
            </Box>
          </Box>
        ))}
      </Box>
    </WorkPanel>
  );
}

const slideText = (centimetres: number, held: boolean): string =>
  held ? 'feet held' : centimetres < 0.1 ? 'feet stay' : `feet slide ${centimetres.toFixed(1)} cm`;
