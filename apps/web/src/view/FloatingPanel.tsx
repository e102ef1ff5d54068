import { Box } from '@chakra-ui/react';
import type { ReactNode } from 'react';

interface FloatingPanelProps {
  readonly label: string;
  readonly width: string;
  /** Called on Escape. */
  readonly onClose: () => void;
  readonly children: ReactNode;
}

/** A panel that lies over the view, in its corner, and scrolls where the view is small. */
export const FloatingPanel = ({ label, width, onClose, children }: FloatingPanelProps) => (
  <Box
    as="section"
    aria-label={label}
    position="absolute"
    top="3"
    left="3"
    width={width}
    maxWidth="calc(100% - 24px)"
    maxHeight="calc(100% - 24px)"
    overflowY="auto"
    bg="panel"
    borderWidth="1px"
    borderColor="line"
    borderRadius="l2"
    boxShadow="float"
    p="3"
    onKeyDown={(event) => {
      if (event.key !== 'Escape') return;
      event.stopPropagation();
      onClose();
    }}
  >
    {children}
  </Box>
);
