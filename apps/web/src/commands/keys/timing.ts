import { targetsOf, tooManyKeys } from '@evlay/core';
import {
  closeLoop,
  closeTakeLoop,
  makeLoop,
  mirrorMotion,
  repeatedKeys,
  repeatsSteps,
  retime,
} from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { notify } from '../../ui/notify.js';
import { workCalmly } from '../calm-work.js';
import { command, type Refusal } from '../command.js';
import { lit, litLayer, namesAt, unkeyed } from './applied.js';

/** Mirrors the motion of the lit layer, or of the picked joints alone, to the other side. */
export const mirrorLayerMotion = command<'all' | 'picked'>({
  name: 'Mirror the motion to the other side',
  layer: lit,
  refusal: (editor, which) =>
    unkeyed(editor) ??
    (targetsOf(litLayer(editor)!).length > 0
      ? { reason: 'Its targets are of one side, and stay there: make keys of them first' }
      : undefined) ??
    (which === 'picked' && editor.session.getState().picked.length === 0
      ? { reason: 'Pick the joints whose motion is to go to the other side' }
      : undefined),
  run(editor, which, change) {
    const { picked, timing } = editor.session.getState();
    const joints = which === 'picked' ? namesAt(editor, picked) : undefined;
    change((project) => mirrorMotion(project, lit(editor), { joints, shift: timing.shift }));
  },
});

/** Makes a range of frames longer or shorter, on some layers or on all of them. */
export const retimeRange = command<{
  readonly range: readonly [number, number];
  readonly factor: number;
  readonly layers?: readonly string[];
}>({
  name: 'Retime a range',
  everywhere: true,
  layer: (_, { layers }) => layers,
  refusal({ history }, { range, layers }) {
    if (!(range[1] > range[0])) return { reason: 'The range has no frames' };
    const locked = layers === undefined && history.project().layers.find((one) => one.locked);
    return locked ? { reason: `${locked.name} is locked` } : undefined;
  },
  run(_, { range, factor, layers }, change) {
    let stayed: readonly string[] = [];
    change((project) => {
      const done = retime(project, { range, factor, ...(layers && { layers }) });
      stayed = done.stayed;
      return done.project;
    });
    if (stayed.length > 0)
      notify({
        title: 'Not all of it was retimed',
        text: `${stayed.join(', ')}: a take or a loop cannot be stretched in part, so it stays as it was.`,
      });
  },
});

/** Loops the lit layer over the picked keys, from the first to the last of them. */
export const loopPicked = command({
  name: 'Loop over the picked keys',
  palette: 'Curves and timing',
  layer: lit,
  refusal: (editor) =>
    unkeyed(editor) ??
    (ownEnds(editor) ? undefined : { reason: 'Pick keys on two frames or more of the lit layer' }),
  run(editor, _, change) {
    const ends = ownEnds(editor);
    if (ends)
      change((project) => makeLoop(project, lit(editor), { from: ends[0], length: ends[1] - ends[0] }));
  },
});

/** First and last own frame of the picked keys of the lit layer. */
function ownEnds(editor: Editor): readonly [number, number] | undefined {
  const layer = litLayer(editor);
  const picks = editor.session.getState().keys.filter(({ address }) => address.layer === layer?.id);
  const frames = picks.flatMap(({ address, keys }) => {
    if (!layer || address.kind !== 'channel' || layer.content.kind !== 'curves') return [];
    const curve = layer.content.channels[address.joint]?.[address.channel];
    return curve?.keys.filter(({ id }) => keys.includes(id)).map(({ frame }) => frame) ?? [];
  });
  const [first, last] = [Math.min(...frames), Math.max(...frames)];
  return last > first ? [first, last] : undefined;
}

/** Closes the gap of the lit layer's loop over the last frames of its cycle. */
export const closeGap = command<number>({
  name: 'Close the loop',
  layer: lit,
  refusal: (editor) => (plays(editor) ? undefined : unkeyed(editor)) ?? unlooped(editor),
  run(editor, stretch, change) {
    const close = plays(editor) ? closeTakeLoop : closeLoop;
    change((project) => close(project, lit(editor), stretch));
  },
});

/** Whether the lit layer plays a take. */
const plays = (editor: Editor): boolean => litLayer(editor)?.content.kind === 'take';

const unlooped = (editor: Editor): Refusal | undefined =>
  (litLayer(editor)?.time?.loop ?? 'none') === 'none' ? { reason: 'The layer does not loop' } : undefined;

/** Keys that take longer to make than a page should stand still. */
const MANY_KEYS = 10_000;

/** Writes the repeats of the lit layer's loop out as keys. */
export const keyRepeats = command({
  name: 'Make keys of the repeats',
  palette: 'Curves and timing',
  layer: lit,
  refusal(editor) {
    const project = editor.history.project();
    const reason = tooManyKeys({ layers: [] }, repeatedKeys(project, lit(editor)));
    return unkeyed(editor) ?? unlooped(editor) ?? (reason === undefined ? undefined : { reason });
  },
  run(editor, _, change) {
    const project = editor.history.project();
    workCalmly(editor, {
      name: 'Making keys of the repeats',
      missed: 'no keys were made',
      long: repeatedKeys(project, lit(editor)) >= MANY_KEYS,
      steps: repeatsSteps(project, lit(editor)),
      put: (done) => change(() => done),
    });
  },
});
