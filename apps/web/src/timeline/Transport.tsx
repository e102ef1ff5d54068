import { chakra } from '@chakra-ui/react';
import { ChevronFirst, ChevronLast, Repeat, StepBack, StepForward } from 'lucide-react';
import { useEffect, useRef } from 'react';
import { perform } from '../commands/command.js';
import { shortcutOf } from '../commands/key-map.js';
import {
  goFirst,
  goLast,
  SPEEDS,
  setSpeed,
  stepBack,
  stepOn,
  toggleLoop,
  togglePlay,
} from '../commands/view/transport.js';
import { CommandButton } from '../controls/CommandButton.js';
import { useEditor, useFirst, useSession } from '../editor/context.js';

/** Plays, steps; says which frame is shown, or what else is counted: `count` is what is shown for a frame. */
export function Transport({
  count,
}: {
  count?: { readonly label: string; readonly of: (frame: number) => number };
}) {
  const editor = useEditor();
  const playing = useSession((state) => state.playing);
  const loop = useSession((state) => state.loop);
  return (
    <>
      <chakra.button
        type="button"
        onClick={() => perform(editor, togglePlay, undefined)}
        aria-label={playing ? 'Pause' : 'Play'}
        title={`${playing ? 'Pause' : 'Play'} (${shortcutOf(togglePlay)})`}
        width="34px"
        height="24px"
        flex="none"
        borderRadius="l1"
        bg="lamp"
        color="onLamp"
        cursor="pointer"
        display="inline-flex"
        alignItems="center"
        justifyContent="center"
      >
        {playing ? <PauseShape /> : <PlayShape />}
      </chakra.button>
      <FrameNumber label={count?.label ?? 'Frame'} of={count?.of} />
      <CommandButton command={goFirst} arg={undefined} label="First frame of the range" icon={ChevronFirst} />
      <CommandButton command={stepBack} arg={undefined} label="Step back" icon={StepBack} />
      <CommandButton command={stepOn} arg={undefined} label="Step on" icon={StepForward} />
      <CommandButton command={goLast} arg={undefined} label="Last frame of the range" icon={ChevronLast} />
      <CommandButton command={toggleLoop} arg={undefined} label="Loop" icon={Repeat} on={loop} />
      <Speed />
    </>
  );
}

const SPEED_TEXTS: Readonly<Record<number, string>> = { 0.25: '¼×', 0.5: '½×', 1: '1×', 2: '2×' };

/** How fast it plays: a click goes on to the next speed, with Shift to the one before. */
function Speed() {
  const editor = useEditor();
  const speed = useSession((state) => state.playSpeed);
  const next = (by: number) => {
    const at = SPEEDS.indexOf(speed);
    perform(editor, setSpeed, SPEEDS[(at + by + SPEEDS.length) % SPEEDS.length]);
  };
  return (
    <chakra.button
      type="button"
      aria-label={`Plays at ${speed} of the speed`}
      title="Plays at a quarter, half, full or double speed; Shift: the other way round"
      onClick={(event) => next(event.shiftKey ? -1 : 1)}
      width="26px"
      height="24px"
      flex="none"
      borderRadius="l1"
      cursor="pointer"
      fontFamily="mono"
      fontSize="12px"
      color={speed === 1 ? 'quiet' : 'lamp'}
      _hover={{ bg: 'raised', color: 'text' }}
    >
      {SPEED_TEXTS[speed]}
    </chakra.button>
  );
}

function FrameNumber({ label, of }: { label: string; of?: (frame: number) => number }) {
  const { playhead } = useEditor();
  const first = useFirst();
  const field = useRef<HTMLOutputElement>(null);
  const text = () => String(of ? of(playhead.get()) : first + playhead.get()).padStart(4, '0');
  useEffect(() => {
    const show = () => {
      if (field.current) field.current.textContent = text();
    };
    show();
    return playhead.subscribe(show);
  });
  return (
    <chakra.output
      ref={field}
      aria-label={label}
      title={label}
      fontFamily="mono"
      fontSize="16px"
      minWidth="46px"
      textAlign="center"
      fontVariantNumeric="tabular-nums"
    >
      {text()}
    </chakra.output>
  );
}

const PlayShape = () => (
  <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true">
    <path d="M2 1 L11 6 L2 11 Z" fill="currentColor" />
  </svg>
);

const PauseShape = () => (
  <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true">
    <path d="M2 1h3v10H2zM7 1h3v10H7z" fill="currentColor" />
  </svg>
);
