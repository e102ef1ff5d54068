import { Box, Text } from '@chakra-ui/react';
import type { Progress } from '@evlay/core/job';
import { useEffect, useRef } from 'react';

/** How far a long piece of work has come, from 0 to 1, written straight to the page. */
export function ProgressBar({ label, done }: { label: string; done: Progress }) {
  const bar = useRef<HTMLDivElement>(null);
  const fill = useRef<HTMLDivElement>(null);
  const text = useRef<HTMLParagraphElement>(null);
  useEffect(() => {
    const show = () => {
      const percent = Math.round(done.get() * 100);
      bar.current?.setAttribute('aria-valuenow', String(percent));
      if (fill.current) fill.current.style.width = `${percent}%`;
      if (text.current) text.current.textContent = `${percent} %`;
    };
    show();
    return done.subscribe(show);
  }, [done]);
  return (
    <>
      <Box
        ref={bar}
        role="progressbar"
        aria-label={label}
        aria-valuemin={0}
        aria-valuemax={100}
        flex="1"
        height="8px"
        bg="raised"
        borderRadius="l1"
        overflow="hidden"
      >
        <Box ref={fill} height="100%" bg="lamp" />
      </Box>
      <Text ref={text} fontFamily="mono" width="48px" textAlign="right" />
    </>
  );
}
