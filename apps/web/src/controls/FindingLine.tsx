import { Box, chakra, Text } from '@chakra-ui/react';
import type { Grade } from '@evlay/core/check';
import { CircleAlert, Info, type LucideIcon, TriangleAlert } from 'lucide-react';

const ICONS: Record<Grade, LucideIcon> = { note: Info, warn: TriangleAlert, fault: CircleAlert };
const COLORS: Record<Grade, string> = { note: 'quiet', warn: 'lamp', fault: 'alarm' };
const WORDS: Record<Grade, string> = { note: 'note', warn: 'warning', fault: 'fault' };

/** What was found and when, with the mark of its grade; a click goes there. `open` where it opens more below it. */
export function FindingLine(props: {
  grade: Grade;
  text: string;
  when: string;
  title: string;
  open?: boolean;
  onClick: () => void;
}) {
  const { grade, text, when, title, open, onClick } = props;
  const Icon = ICONS[grade];
  return (
    <chakra.button
      type="button"
      aria-expanded={open}
      onClick={onClick}
      display="flex"
      gap="2"
      width="100%"
      py="1"
      textAlign="left"
      cursor="pointer"
      alignItems="flex-start"
      title={title}
    >
      <Box color={COLORS[grade]} pt="3px" flex="none">
        <Icon size={13} aria-label={WORDS[grade]} />
      </Box>
      <Text as="span" flex="1">
        {text}
      </Text>
      <Text as="span" color="quiet" fontSize="12px" whiteSpace="nowrap" pt="1px">
        {when}
      </Text>
    </chakra.button>
  );
}
