import { Box, chakra } from '@chakra-ui/react';
import { setRange } from '@evlay/core/edit';
import {
  ChevronFirst,
  ChevronLast,
  LayersPlus,
  PencilLine,
  Repeat,
  SquareStack,
  StepBack,
  StepForward,
} from 'lucide-react';
import { useEffect, useRef } from 'react';
import { addAboveLit } from '../state/actions.js';
import { goTo, pause, play, playhead } from '../state/playhead.js';
import { edit, useProject } from '../state/project-store.js';
import { setSession, useSession } from '../state/session-store.js';
import { loopIsClosed } from '../state/stage.js';
import { DragNumber } from '../ui/DragNumber.js';
import { ToolButton } from '../ui/ToolButton.js';
import { AddButton } from './AddButton.js';
import { AddTakeLayer } from './AddTakeLayer.js';

export const togglePlay = (playing: boolean): void => (playing ? pause() : play(loopIsClosed));

/** Plays, steps; says which frame is shown. */
export function Transport() {
  const playing = useSession((state) => state.playing);
  const loop = useSession((state) => state.loop);
  return (
    <>
      <chakra.button
        type="button"
        onClick={() => togglePlay(playing)}
        aria-label={playing ? 'Pause' : 'Play'}
        title={`${playing ? 'Pause' : 'Play'} (Space)`}
        width="34px"
        height="24px"
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
      <FrameNumber />
      <ToolButton
        label="First frame of the range"
        hotkey="Home"
        icon={ChevronFirst}
        onClick={() => goTo(Number.NEGATIVE_INFINITY)}
      />
      <ToolButton label="Step back" hotkey="Left" icon={StepBack} onClick={() => goTo(playhead.get() - 1)} />
      <ToolButton
        label="Step on"
        hotkey="Right"
        icon={StepForward}
        onClick={() => goTo(playhead.get() + 1)}
      />
      <ToolButton
        label="Last frame of the range"
        hotkey="End"
        icon={ChevronLast}
        onClick={() => goTo(Number.POSITIVE_INFINITY)}
      />
      <ToolButton label="Loop" icon={Repeat} on={loop} onClick={() => setSession({ loop: !loop })} />
    </>
  );
}

/** Plays and steps, and says how poses are keyed and weights drawn. */
export function TimeBar({ width }: { width: number }) {
  const autoKey = useSession((state) => state.autoKey);
  const drawing = useSession((state) => state.drawing);
  return (
    <Box width={`${width}px`} flex="none" display="flex" alignItems="center" gap="1" px="2">
      <Transport />
      <Box flex="1" />
      <ToolButton
        label="Draw the weight of the lit layer"
        icon={PencilLine}
        on={drawing}
        onClick={() => setSession({ drawing: !drawing })}
      />
      <chakra.button
        type="button"
        aria-pressed={autoKey}
        onClick={() => setSession({ autoKey: !autoKey })}
        title="Changing the pose sets keys"
        height="24px"
        px="2"
        borderRadius="l1"
        cursor="pointer"
        color={autoKey ? 'lamp' : 'quiet'}
        _hover={{ bg: 'raised' }}
        whiteSpace="nowrap"
      >
        auto key {autoKey ? 'on' : 'off'}
      </chakra.button>
    </Box>
  );
}

/** The buttons that add a layer above the lit one. */
export function AddLayerButtons() {
  return (
    <Box display="flex" gap="1">
      <AddButton
        label="Add additive layer"
        icon={<LayersPlus size={14} aria-hidden />}
        onClick={() => addAboveLit('additive')}
      />
      <AddButton
        label="Add override layer"
        icon={<SquareStack size={14} aria-hidden />}
        onClick={() => addAboveLit('override')}
      />
      <AddTakeLayer />
    </Box>
  );
}

/** First and last frame of the range, and the rate. */
export function RangeFields() {
  const [first, last] = useProject((project) => project.range);
  const fps = useProject((project) => project.fps);
  return (
    <Box display="flex" alignItems="center" gap="1" color="quiet" whiteSpace="nowrap">
      range
      <DragNumber
        label="First frame of the range"
        read={() => first}
        step={1}
        decimals={0}
        width="48px"
        onChange={(value, { drag }) => edit((p) => setRange(p, Math.min(value, last), last), drag)}
      />
      to
      <DragNumber
        label="Last frame of the range"
        read={() => last}
        step={1}
        decimals={0}
        width="48px"
        onChange={(value, { drag }) => edit((p) => setRange(p, first, Math.max(value, first)), drag)}
      />
      <chakra.span fontFamily="mono">{Number(fps.toFixed(2))}/s</chakra.span>
    </Box>
  );
}

function FrameNumber() {
  const field = useRef<HTMLOutputElement>(null);
  useEffect(() => {
    const show = () => {
      if (field.current) field.current.textContent = String(playhead.get()).padStart(4, '0');
    };
    show();
    return playhead.subscribe(show);
  }, []);
  return (
    <chakra.output
      ref={field}
      aria-label="Frame"
      fontFamily="mono"
      fontSize="16px"
      width="46px"
      textAlign="center"
      fontVariantNumeric="tabular-nums"
    />
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
