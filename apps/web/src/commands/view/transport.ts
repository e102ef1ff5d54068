import { channelsOf, keyFrames, keyMarks, layerById } from '@evlay/core';
import { framesOfPicked } from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { command } from '../command.js';

export const togglePlay = command({
  name: 'Play or pause',
  palette: 'Play and project',
  shortcut: 'Space',
  looks: true,
  run: ({ session, transport }) => (session.getState().playing ? transport.pause() : transport.play()),
});

const step = (name: string, shortcut: string, frames: number) =>
  command({
    name,
    palette: 'Play and project',
    shortcut,
    looks: true,
    run: ({ transport, playhead }) => transport.goTo(playhead.get() + frames),
  });

export const stepBack = step('Step back a frame', 'Left', -1);
export const stepOn = step('Step on a frame', 'Right', 1);
export const stepTenBack = step('Step back ten frames', 'Shift+Left', -10);
export const stepTenOn = step('Step on ten frames', 'Shift+Right', 10);
export const goFirst = step('Go to the first frame of the range', 'Home', Number.NEGATIVE_INFINITY);
export const goLast = step('Go to the last frame of the range', 'End', Number.POSITIVE_INFINITY);

/** The frame of the lit layer's key before (-1) or after (1) the playhead. */
function neighbourKey({ history, session, stage, playhead }: Editor, direction: 1 | -1): number | undefined {
  const project = history.project();
  const layer = layerById(project, session.getState().lit);
  const compiled = stage.get().stack.layers.find((one) => one.layer.id === layer?.id);
  if (!layer || !compiled || Object.keys(channelsOf(layer)).length === 0) return undefined;
  const frames = keyMarks(compiled.time, keyFrames(layer), ...project.range).map(({ frame }) => frame);
  const now = playhead.get();
  return direction > 0
    ? frames.find((frame) => frame > now + 1e-6)
    : frames.findLast((frame) => frame < now - 1e-6);
}

const toKey = (name: string, shortcut: string, direction: 1 | -1) =>
  command({
    name,
    palette: 'Play and project',
    shortcut,
    looks: true,
    run(editor) {
      const frame = neighbourKey(editor, direction);
      if (frame !== undefined) editor.transport.goTo(frame);
    },
  });

export const toKeyBefore = toKey('Go to the key before', 'Ctrl+Left', -1);
export const toKeyAfter = toKey('Go to the key after', 'Ctrl+Right', 1);

/** Goes to a frame; a drag along the ruler. */
export const scrub = command<number>({
  name: 'Go to a frame',
  looks: true,
  run({ transport }, frame) {
    transport.pause();
    transport.goTo(frame);
  },
});

/** How fast it can be played, as parts of the project's rate. */
export const SPEEDS: readonly number[] = [0.25, 0.5, 1, 2];

export const setSpeed = command<number>({
  name: 'Play at another speed',
  looks: true,
  run: ({ session }, playSpeed) => session.setState({ playSpeed }),
});

/** Plays a range of frames apart from the project's; undefined plays that again. */
export const setPlayRange = command<readonly [number, number] | undefined>({
  name: 'Play a range of frames',
  looks: true,
  run({ session }, range) {
    const ends = range && [...range].map(Math.round).sort((a, b) => a - b);
    session.setState({ playRange: ends && ends[1] > ends[0] ? [ends[0], ends[1]] : undefined });
  },
});

/** Plays the frames of the picked keys, or all again where it plays less. */
export const playPicked = command({
  name: 'Play the frames of the picked keys, or all again',
  palette: 'Play and project',
  shortcut: 'Shift+P',
  looks: true,
  refusal: ({ session, history }) =>
    session.getState().playRange || framesOfPicked(history.project(), session.getState().keys)
      ? undefined
      : { reason: 'Pick keys on two frames or more' },
  run({ session, history }) {
    const { playRange, keys } = session.getState();
    const ends = framesOfPicked(history.project(), keys);
    session.setState({ playRange: playRange || !ends || ends[1] <= ends[0] ? undefined : ends });
  },
});

export const toggleLoop = command({
  name: 'Loop the playing',
  palette: 'Play and project',
  looks: true,
  run: ({ session }) => session.setState(({ loop }) => ({ loop: !loop })),
});
