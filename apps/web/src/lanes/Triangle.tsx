import { chakra } from '@chakra-ui/react';
import { ChevronDown, ChevronRight } from 'lucide-react';

interface TriangleProps {
  readonly open: boolean;
  /** What it opens and closes: `the lane of …`. */
  readonly what: string;
  readonly title?: string;
  readonly size?: number;
  readonly onToggle: () => void;
}

/** The triangle that opens a lane or one of its rows. */
export function Triangle({ open, what, title, size = 14, onToggle }: TriangleProps) {
  const Icon = open ? ChevronDown : ChevronRight;
  return (
    <chakra.button
      type="button"
      aria-label={`${open ? 'Close' : 'Open'} ${what}`}
      aria-expanded={open}
      title={title}
      onClick={onToggle}
      width="18px"
      height="22px"
      flex="none"
      display="inline-flex"
      alignItems="center"
      justifyContent="center"
      color="quiet"
      cursor="pointer"
      borderRadius="4px"
      _hover={{ color: 'text', bg: 'ground' }}
    >
      <Icon size={size} aria-hidden />
    </chakra.button>
  );
}
