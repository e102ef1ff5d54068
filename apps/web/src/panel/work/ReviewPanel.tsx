import { Box, Button, Text } from '@chakra-ui/react';
import { layerTags } from '@evlay/core';
import { perform, refusalOf } from '../../commands/command.js';
import { changeReview, closeReview, saveReview } from '../../commands/view/review.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import type { ReviewSettings } from '../../editor/session.js';
import { Choice } from '../../ui/Choice.js';
import { Row } from '../../ui/Row.js';
import { FrameRange } from './FrameRange.js';
import { WorkPanel } from './WorkPanel.js';

const toggled = (list: readonly string[], one: string): readonly string[] =>
  list.includes(one) ? list.filter((other) => other !== one) : [...list, one];

/** What a review file shows: which variants, over which frames, and the layers that can be turned there. */
export function ReviewPanel() {
  const editor = useEditor();
  const review = useSession((state) => state.review);
  const variants = useProject((project) => project.variants);
  const layers = useProject((project) => project.layers);
  if (!review) return null;
  const set = (values: Partial<ReviewSettings>) => perform(editor, changeReview, values);
  const reason = refusalOf(editor, saveReview, review)?.reason;
  const tags = layerTags(layers);
  return (
    <WorkPanel
      label="Review file"
      help="Show"
      leave={closeReview.name}
      onLeave={() => perform(editor, closeReview, undefined)}
      foot={
        <>
          {reason && (
            <Text flex="1" color="alarm" fontSize="12px">
              {reason}
            </Text>
          )}
          <Button
            size="xs"
            bg="lamp"
            color="onLamp"
            disabled={reason !== undefined}
            onClick={() => perform(editor, saveReview, review)}
          >
            {saveReview.name}
          </Button>
        </>
      }
    >
      <Text color="quiet">
        One page for somebody who has none of this: it plays in any browser, without a network, takes notes
        and drawings, and sends them back as a small file that you drop here.
      </Text>
      <Row label="frames">
        <FrameRange of="review" range={review.range} onChange={(range) => set({ range })} />
      </Row>
      <Row label="variants">
        {variants.length === 0 ? (
          <Text color="quiet">the stack alone: there are no variants</Text>
        ) : (
          <Box display="flex" flexWrap="wrap" gap="1">
            {variants.map(({ name }) => (
              <Choice
                key={name}
                on={review.variants.includes(name)}
                onClick={() => set({ variants: toggled(review.variants, name) })}
              >
                {name}
              </Choice>
            ))}
          </Box>
        )}
      </Row>
      <Row label="can turn">
        <Box display="flex" flexWrap="wrap" gap="1">
          {layers.slice(1).map(({ id, name }, k) => (
            <Choice
              key={id}
              on={review.layers.includes(id)}
              title={`${name} can be turned up and down there`}
              onClick={() => set({ layers: toggled(review.layers, id) })}
            >
              {tags[k + 1]} {name}
            </Choice>
          ))}
        </Box>
      </Row>
    </WorkPanel>
  );
}
