import { Box } from '@chakra-ui/react';
import { useEffect, useRef } from 'react';
import { useMatch } from 'react-router';
import { useStore } from 'zustand';
import { listenToPen, pen } from '../../gestures/pen.js';
import { Notices } from '../../ui/Notices.js';
import { PenStrip } from './PenStrip.js';

/** What is said on Layers where nothing under the pointer says what it does. */
const ON_LAYERS =
  'Space plays · K picks keys · right click: what can be done here · ? shows all shortcuts and gestures';

/** The line at the lower edge: what the thing under the pointer, or the one that has the focus, can do; and notices. */
export function HintLine() {
  const text = useRef<HTMLDivElement>(null);
  const byHand = useStore(pen, ({ used }) => used);
  useEffect(listenToPen, []);
  const nothing = useMatch('/p/:id') ? ON_LAYERS : '';
  useEffect(() => {
    const show = (does: string) => {
      if (text.current && text.current.textContent !== does) text.current.textContent = does;
    };
    const tell = (event: Event) =>
      show((event.target as Element | null)?.closest?.('[data-does]')?.getAttribute('data-does') ?? nothing);
    show(nothing);
    window.addEventListener('pointerover', tell);
    window.addEventListener('focusin', tell);
    return () => {
      window.removeEventListener('pointerover', tell);
      window.removeEventListener('focusin', tell);
    };
  }, [nothing]);
  return (
    <Box
      as="footer"
      height={byHand ? '40px' : '28px'}
      flex="none"
      px="3"
      display="flex"
      alignItems="center"
      gap="3"
      bg="ground"
      color="quiet"
      fontSize="12px"
    >
      {byHand ? (
        <PenStrip />
      ) : (
        <Box ref={text} aria-label="What can be done here" role="note" flex="1" minWidth="80px" truncate />
      )}
      <Notices />
    </Box>
  );
}
