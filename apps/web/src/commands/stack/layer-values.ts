import { keyFrames, type LayerTime, layerById, type Span } from '@evlay/core';
import {
  clearMask,
  clearPlacement,
  keyAround,
  keyPlacement,
  limitToParts,
  lineUp,
  placementRefusal,
  rotatePlacement,
  setFollows,
  setPlacement,
  setPlacementSpace,
  setSpan,
  setSpans,
  setTimes,
  writeScalar,
} from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { command } from '../command.js';
import { together } from './picked-layers.js';

const itself = (_: Editor, id: string) => id;
const itsLayer = (_: Editor, { layer }: { readonly layer: string }) => layer;
const itsLayers = (editor: Editor, { layer }: { readonly layer: string }) => together(editor, layer);

/** The layers that change by as much as one does. */
const othersOf = (editor: Editor, layer: string) => together(editor, layer).filter((id) => id !== layer);

/** Lets a joint count as its part does. */
export const clearJointWeight = command<{ layer: string; joint: string }>({
  name: 'Let the joint count as its part does',
  layer: itsLayer,
  run: (_, { layer, joint }, change) =>
    change((project) => writeScalar(project, { kind: 'joint', layer, joint }, undefined)),
});

/** Changes parts of a span; none lets the layer act at every frame. Layers that are picked with it change by as much. */
export const changeSpan = command<{ layer: string; span: Span | undefined }>({
  name: 'Change the span',
  layer: itsLayers,
  run(editor, { layer, span }, change) {
    const others = othersOf(editor, layer);
    // A drag counts from how things were when it began.
    const from = editor.history.settled();
    change((project) => setSpans(project, { lead: layer, others, values: span, from }));
  },
});

/** Lets a layer act over the whole range, or its span follow its keys; the next override layer begins so too. */
export const spanWhole = command<{ layer: string; whole: boolean }>({
  name: 'Act over the whole range, or as far as the keys go',
  layer: itsLayers,
  run(editor, { layer, whole }, change) {
    const ids = together(editor, layer);
    change((project) =>
      ids.reduce((now, id) => (whole ? setSpan(now, id, undefined) : setFollows(now, id, true)), project),
    );
    editor.session.setState({ wholeRange: whole });
  },
});

/** Lets the one key of an additive layer act around its frame: nothing so many frames before it and after it. */
export const letActAround = command<{ layer: string; frames: number }>({
  name: 'Let it act around here',
  layer: itsLayer,
  run({ history }, { layer, frames }, change) {
    const project = history.project();
    const own = layerById(project, layer);
    const [frame] = own ? keyFrames(own) : [];
    if (frame !== undefined) change((now) => keyAround(now, layer, frame, frames));
  },
});

/** Changes when the content of a layer plays. Layers that are picked with it change by as much. */
export const changeTime = command<{ layer: string; time: Partial<LayerTime> | undefined }>({
  name: 'Change when the content plays',
  layer: itsLayers,
  run(editor, { layer, time }, change) {
    const others = othersOf(editor, layer);
    const from = editor.history.settled();
    change((project) => setTimes(project, { lead: layer, others, values: time, from }));
  },
});

export const limitToPicked = command<string>({
  name: 'Limit the layer to the picked parts',
  layer: itself,
  refusal: ({ session }) =>
    session.getState().parts.length > 0 ? undefined : { reason: 'No part is picked on the body map' },
  run: ({ session }, id, change) => change((project) => limitToParts(project, id, session.getState().parts)),
});

export const letAllCount = command<string>({
  name: 'Let all parts count',
  layer: itself,
  run: (_, id, change) => change((project) => clearMask(project, id)),
});

/** Where a performance is to stand: numbers, or a rotation about a point that stays where it is. */
export interface Placing {
  readonly layer: string;
  readonly values?: Parameters<typeof setPlacement>[3];
  readonly rotation?: { readonly to: readonly number[]; readonly centre: readonly number[] };
}

export const place = command<Placing>({
  name: 'Place the performance',
  layer: itsLayer,
  run({ playhead }, { layer, values, rotation }, change) {
    const frame = playhead.get();
    if (values) change((project) => setPlacement(project, layer, frame, values));
    if (rotation) change((project) => rotatePlacement(project, layer, frame, rotation.to, rotation.centre));
  },
});

export const keyPlace = command<string>({
  name: 'Key the placement',
  layer: itself,
  run: ({ playhead }, id, change) => change((project) => keyPlacement(project, id, playhead.get())),
});

export const standAsRecorded = command<string>({
  name: 'Let it stand where it was recorded',
  layer: itself,
  run: (_, id, change) => change((project) => clearPlacement(project, id)),
});

/** Places the performance of a layer in the space of a prop or joint, or on the floor again; what is seen stays. */
export const playOn = command<{ readonly layer: string; readonly space: string | undefined }>({
  name: 'Play on something else',
  layer: itsLayer,
  refusal({ history }, { layer, space }) {
    const reason = space === undefined ? undefined : placementRefusal(history.project(), layer, space);
    return reason === undefined ? undefined : { reason: `${space} ${reason}` };
  },
  run: (_, { layer, space }, change) => change((project) => setPlacementSpace(project, layer, space)),
});

export const beginWhereEnds = command<{ layer: string; after: string }>({
  name: 'Begin where another layer ends',
  layer: itsLayer,
  run: (_, { layer, after }, change) => change((project) => lineUp(project, layer, after)),
});
