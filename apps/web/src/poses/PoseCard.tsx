import { Box, chakra, Text } from '@chakra-ui/react';
import { useSortable } from '@dnd-kit/sortable';
import type { SavedPose } from '@evlay/core';
import { sideOfPose } from '@evlay/core/solve';
import { Check, Globe, Pencil, Trash2 } from 'lucide-react';
import { perform, refusalOf } from '../commands/command.js';
import { poseSeen } from '../commands/poses/curl.js';
import {
  type Applying,
  applyPose,
  changePose,
  copyPoseTo,
  deletePose,
  type PoseHome,
} from '../commands/poses/pose-book.js';
import { CommandButton } from '../controls/CommandButton.js';
import { DragNumber } from '../controls/DragNumber.js';
import { useEditor } from '../editor/context.js';
import { NameField } from '../ui/NameField.js';
import { ToolButton } from '../ui/ToolButton.js';
import { PosePicture } from './PosePicture.js';

interface PoseCardProps {
  readonly pose: SavedPose;
  readonly home: PoseHome;
  /** Whether name and tags are being edited. */
  readonly edited: boolean;
  readonly onEdit: (on: boolean) => void;
}

/** A saved pose: a click applies it; below are the sides to which it goes and how far. It is ordered by dragging. */
export function PoseCard({ pose, home, edited, onEdit }: PoseCardProps) {
  const editor = useEditor();
  const { setNodeRef, listeners, transform, transition, isDragging } = useSortable({ id: pose.id });
  const side = sideOfPose(pose);
  const refused = refusalOf(editor, applyPose, { pose });
  const ref = { home, id: pose.id };
  return (
    <Box
      as="li"
      ref={setNodeRef}
      borderWidth="1px"
      borderColor="line"
      borderRadius="l2"
      bg="raised"
      overflow="hidden"
      gridColumn={edited ? '1 / -1' : undefined}
      opacity={isDragging ? 0.6 : 1}
      style={{
        transform: transform ? `translate(${transform.x}px, ${transform.y}px)` : undefined,
        transition,
      }}
    >
      <chakra.button
        type="button"
        {...listeners}
        aria-label={`Apply ${pose.name}`}
        title={refused ? `${pose.name}: ${refused.reason}` : `${pose.name}: click to apply, drag to order`}
        aria-disabled={refused !== undefined || undefined}
        data-does="Click to apply the pose; drag to another place in the book"
        onClick={() => perform(editor, applyPose, { pose })}
        width="100%"
        display="flex"
        justifyContent="center"
        cursor="pointer"
        bg="panel"
        opacity={refused ? 0.6 : 1}
        _hover={{ bg: 'ground' }}
      >
        <PosePicture pose={pose} size={84} />
      </chakra.button>
      {edited ? (
        <Box p="1" display="flex" flexDirection="column" gap="1">
          <NameField
            label={`Name of ${pose.name}`}
            name={pose.name}
            onRename={(name) => perform(editor, changePose, { ...ref, values: { name } })}
          />
          <NameField
            label={`Tags of ${pose.name}, by commas`}
            name={pose.tags.join(', ')}
            placeholder="tags, by commas"
            onRename={(text) =>
              perform(editor, changePose, {
                ...ref,
                values: {
                  tags: [
                    ...new Set(
                      text
                        .split(',')
                        .map((one) => one.trim())
                        .filter(Boolean),
                    ),
                  ],
                },
              })
            }
          />
          <Box display="flex">
            <CommandButton
              command={copyPoseTo}
              arg={{ ...ref, to: home === 'project' ? 'browser' : 'project' }}
              label={home === 'project' ? 'Keep it in this browser too' : 'Keep it in this project too'}
              icon={Globe}
            />
            <CommandButton command={deletePose} arg={ref} label={`Delete ${pose.name}`} icon={Trash2} />
            <Box flex="1" />
            <ToolButton label="Done" icon={Check} onClick={() => onEdit(false)} />
          </Box>
        </Box>
      ) : (
        <>
          <Text truncate px="1.5" pt="1" fontSize="12px" title={pose.name}>
            {pose.name}
          </Text>
          <Box display="flex" alignItems="center" px="0.5" pb="0.5" fontSize="11px">
            {side &&
              (['left', 'right'] as const).map((one) => (
                <chakra.button
                  key={one}
                  type="button"
                  aria-label={`Apply ${pose.name} to the ${one}`}
                  title={`To the ${one}`}
                  onClick={() => perform(editor, applyPose, { pose, side: one })}
                  width="24px"
                  height="24px"
                  borderRadius="l1"
                  cursor="pointer"
                  color="quiet"
                  _hover={{ color: 'text', bg: 'panel' }}
                >
                  {one === 'left' ? 'L' : 'R'}
                </chakra.button>
              ))}
            <Box flex="1" />
            <ToolButton label={`Edit ${pose.name}`} icon={Pencil} onClick={() => onEdit(true)} />
            <DragNumber
              label={`Apply a part of ${pose.name}`}
              read={() => 0}
              min={-0.5}
              max={1.5}
              step={0.01}
              decimals={2}
              width="34px"
              units={{ '%': 0.01 }}
              command={applyPose}
              start={(): Applying => ({ pose, amount: 0, from: poseSeen(editor) })}
              to={(amount, _, from) => ({ pose, amount, from: from?.from })}
            />
          </Box>
        </>
      )}
    </Box>
  );
}
