import { Box } from '@chakra-ui/react';
import { type ReactNode, useEffect, useRef } from 'react';

interface FloatingPanelProps {
  readonly label: string;
  readonly width: string;
  /** Called on Escape. */
  readonly onClose: () => void;
  readonly children: ReactNode;
}

/** A panel that lies over the view, in its corner, and scrolls where the view is small. It takes the focus when it opens. */
export function FloatingPanel({ label, width, onClose, children }: FloatingPanelProps) {
  const panel = useRef<HTMLDivElement>(null);
  useEffect(() => {
    // What opened it, a button or the palette, lets go of the focus first.
    const frame = requestAnimationFrame(() => panel.current?.focus({ preventScroll: true }));
    return () => cancelAnimationFrame(frame);
  }, []);
  return (
    <Box
      ref={panel}
      tabIndex={-1}
      outline="none"
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
}
