import { Box, Text } from '@chakra-ui/react';
import { useEffect, useRef, useState } from 'react';
import { useEditor } from '../editor/context.js';
import { Choice } from '../ui/Choice.js';
import { preferences, usePreference } from '../ui/preferences.js';
import { type Moment, momentOf, PIECES } from './try-pieces.js';

/** Milliseconds between two looks at which screen is open, and at where what is to be used is on it. */
const LOOK = 300;

/** Short pieces of work on the demo, step by step: what is to be done next, and what for is lit on the screen. */
export function TryBar() {
  const at = usePreference((state) => state.trying);
  return at === undefined || at >= PIECES.length ? null : <Piece key={at} at={at} />;
}

const goOn = (to: number | undefined) => preferences.setState({ trying: to });

function Piece({ at }: { at: number }) {
  const editor = useEditor();
  const [step, setStep] = useState(0);
  const began = useRef<Moment>(undefined);
  const { name, steps } = PIECES[at];
  const wanted = steps[step];

  useEffect(() => {
    if (!wanted) return;
    began.current = undefined;
    const look = () => {
      const now = momentOf(editor, location.pathname);
      began.current ??= now;
      if (wanted.done(now, began.current)) setStep(step + 1);
      const lit = document.querySelector(wanted.lights);
      for (const other of document.querySelectorAll('[data-try]'))
        if (other !== lit) other.removeAttribute('data-try');
      lit?.setAttribute('data-try', '');
    };
    look();
    // What is done may be over before the next look.
    const stops = [editor.session.subscribe(look), editor.history.store.subscribe(look)];
    const timer = setInterval(look, LOOK);
    return () => {
      clearInterval(timer);
      for (const stop of stops) stop();
      for (const lit of document.querySelectorAll('[data-try]')) lit.removeAttribute('data-try');
    };
  }, [editor, wanted, step]);

  const last = at + 1 === PIECES.length;
  return (
    <Box
      as="section"
      aria-label="Try it"
      flex="none"
      display="flex"
      alignItems="center"
      gap="3"
      px="3"
      minHeight="36px"
      bg="raised"
      borderTopWidth="1px"
      borderColor="lamp"
    >
      <Text fontWeight="600" color="lamp" whiteSpace="nowrap">
        {at + 1} of {PIECES.length} · {name}
      </Text>
      <Text flex="1" role="status">
        {wanted?.text ?? (last ? 'That is the whole way: from a walk to a file.' : 'Done.')}
      </Text>
      {wanted ? (
        <Choice on={false} onClick={() => setStep(step + 1)}>
          skip
        </Choice>
      ) : (
        !last && (
          <Choice on={false} onClick={() => goOn(at + 1)}>
            next: {PIECES[at + 1].name}
          </Choice>
        )
      )}
      <Choice on={false} onClick={() => goOn(undefined)}>
        {wanted || !last ? 'leave it' : 'close'}
      </Choice>
    </Box>
  );
}
