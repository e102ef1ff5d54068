import { Box, Button, Text } from '@chakra-ui/react';
import { X } from 'lucide-react';
import { type ReactNode, useEffect, useRef } from 'react';
import { HelpLink } from '../../controls/HelpLink.js';
import { ToolButton } from '../../ui/ToolButton.js';

interface WorkPanelProps {
  readonly label: string;
  /** What closes it is called. */
  readonly leave: string;
  readonly onLeave: () => void;
  /** The step of Help that is about it. */
  readonly help: string;
  /** Beside the name. */
  readonly extra?: ReactNode;
  /** What stands at its lower edge, always in sight. */
  readonly foot?: ReactNode;
  readonly children: ReactNode;
}

/** A piece of work that stands in the right column in place of the tabs, until it is left. It takes the focus when it opens. */
export function WorkPanel({ label, leave, onLeave, help, extra, foot, children }: WorkPanelProps) {
  const panel = useRef<HTMLDivElement>(null);
  useEffect(() => {
    // What opened it, a button or the palette, lets go of the focus first. By then somebody may type into it already.
    const frame = requestAnimationFrame(() => {
      if (!panel.current?.contains(document.activeElement)) panel.current?.focus({ preventScroll: true });
    });
    return () => cancelAnimationFrame(frame);
  }, []);
  return (
    <Box
      ref={panel}
      tabIndex={-1}
      outline="none"
      as="section"
      aria-label={label}
      flex="1 1 0"
      minHeight="0"
      display="flex"
      flexDirection="column"
      borderTopWidth="1px"
      borderColor="line"
      onKeyDown={(event) => {
        if (event.key !== 'Escape') return;
        event.stopPropagation();
        onLeave();
      }}
    >
      <Box display="flex" alignItems="center" gap="2" flex="none" height="30px" px="3" bg="raised">
        <Text as="h2" flex="1" fontWeight="600" truncate>
          {label}
        </Text>
        {extra}
        <HelpLink step={help} />
        <ToolButton label={leave} icon={X} onClick={onLeave} />
      </Box>
      <Box
        flex="1"
        minHeight="0"
        overflowY="auto"
        px="3"
        py="2"
        display="flex"
        flexDirection="column"
        gap="1.5"
        css={{ '& > *': { flexShrink: 0 } }}
      >
        {children}
      </Box>
      {foot && (
        <Box
          flex="none"
          display="flex"
          gap="2"
          justifyContent="flex-end"
          px="3"
          py="2"
          borderTopWidth="1px"
          borderColor="line"
        >
          {foot}
        </Box>
      )}
    </Box>
  );
}

/** The foot of a piece of work that is either put into the project or left. */
export function WorkFoot(props: {
  readonly name: string;
  readonly disabled?: boolean;
  readonly onPut: () => void;
  readonly onLeave: () => void;
}) {
  return (
    <>
      <Button size="xs" variant="outline" borderColor="line" color="text" onClick={props.onLeave}>
        Cancel
      </Button>
      <Button size="xs" bg="lamp" color="onLamp" disabled={props.disabled} onClick={props.onPut}>
        {props.name}
      </Button>
    </>
  );
}
