import { Box } from '@chakra-ui/react';
import { useEffect, useRef } from 'react';

/** What is said where nothing under the pointer says what it does. */
const NOTHING =
  'Space plays · K picks keys · right click: what can be done here · ? shows all shortcuts and gestures';

/** A line at the lower edge that says what the thing under the pointer, or the one that has the focus, can do. */
export function HintLine() {
  const line = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const tell = (event: Event) => {
      const does =
        (event.target as Element | null)?.closest?.('[data-does]')?.getAttribute('data-does') ?? NOTHING;
      if (line.current && line.current.textContent !== does) line.current.textContent = does;
    };
    window.addEventListener('pointerover', tell);
    window.addEventListener('focusin', tell);
    return () => {
      window.removeEventListener('pointerover', tell);
      window.removeEventListener('focusin', tell);
    };
  }, []);
  return (
    <Box
      ref={line}
      as="footer"
      aria-label="What can be done here"
      height="22px"
      lineHeight="22px"
      flex="none"
      px="3"
      bg="ground"
      color="quiet"
      fontSize="12px"
      truncate
    >
      {NOTHING}
    </Box>
  );
}
