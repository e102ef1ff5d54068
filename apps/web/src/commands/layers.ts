import {
  type Axes,
  keyFrames,
  type LayerTime,
  layerById,
  layerIndex,
  type Mode,
  newId,
  type Reference,
  type Span,
} from '@evlay/core';
import {
  addLayer,
  addTakeLayer,
  clearMask,
  clearPlacement,
  deleteLayer,
  duplicateLayer,
  keyAround,
  keyPlacement,
  limitToParts,
  lineUp,
  moveLayer,
  rotatePlacement,
  setLayer,
  setMode,
  setPlacement,
  setReference,
  setSpan,
  setTime,
  writeScalar,
} from '@evlay/core/edit';
import type { Editor } from '../editor/editor.js';
import { type Change, command, type Refusal } from './command.js';

const layerOf = (editor: Editor, id: string) => layerById(editor.history.project(), id);

/** Why something that the base cannot do is refused. */
const notOfBase =
  (what: string) =>
  (editor: Editor, id: string): Refusal | undefined =>
    layerIndex(editor.history.project(), id) === 0
      ? { reason: `${layerOf(editor, id)?.name} is the base, which ${what}` }
      : undefined;

const itself = (_: Editor, id: string) => id;
const itsLayer = (_: Editor, { layer }: { readonly layer: string }) => layer;

/** Adds a layer above the lit one, limited to the picked joints, and lights it. */
function addAboveLit(editor: Editor, mode: Mode, change: Change): string {
  const { lit, picked } = editor.session.getState();
  let id = '';
  change((project) => {
    const added = addLayer(project, { mode, above: lit, joints: picked, frame: editor.playhead.get() });
    id = added.id;
    return added.project;
  });
  editor.session.light(id);
  return id;
}

export const addAdditiveLayer = command({
  name: 'Add additive layer',
  run: (editor, _, change) => void addAboveLit(editor, 'additive', change),
});

export const addOverrideLayer = command({
  name: 'Add override layer',
  run: (editor, _, change) => void addAboveLit(editor, 'override', change),
});

/** Adds a layer that plays a take of the project above the lit one, and lights it. */
export const addTakeAboveLit = command<{ take: string; mode: Mode; reference?: Reference }>({
  name: 'Add take layer',
  run({ session, gesture }, wanted, change) {
    const id = newId();
    change((project) => addTakeLayer(project, { ...wanted, above: session.getState().lit, id }).project);
    // One that comes in the middle of a drag leaves the light where it is.
    if (!gesture) session.light(id);
  },
});

export const duplicateLit = command({
  name: 'Duplicate the layer',
  refusal: (editor) => notOfBase('is there once')(editor, editor.session.getState().lit),
  run({ history, session }, _, change) {
    let id = session.getState().lit;
    change((project) => {
      const added = duplicateLayer(project, id);
      id = added.id;
      return added.project;
    });
    if (layerById(history.project(), id)) session.light(id);
  },
});

/** Deletes a layer and lights the one below it. */
export const removeLayer = command<string>({
  name: 'Delete the layer',
  layer: itself,
  refusal: notOfBase('is always there'),
  run({ history, session }, id, change) {
    const { layers } = history.project();
    session.light(layers[layers.findIndex((layer) => layer.id === id) - 1].id);
    change((project) => deleteLayer(project, id));
  },
});

const moveLit = (name: string, by: 1 | -1) =>
  command({
    name,
    refusal(editor) {
      const { lit } = editor.session.getState();
      const { layers } = editor.history.project();
      const to = layerIndex(editor.history.project(), lit) + by;
      if (to > 0 && to < layers.length) return notOfBase('stays at the bottom')(editor, lit);
      return (
        notOfBase('stays at the bottom')(editor, lit) ?? {
          reason: by > 0 ? 'It is the topmost layer already' : 'Only the base is below it',
        }
      );
    },
    run: ({ session }, _, change) => change((project) => moveLayer(project, session.getState().lit, by)),
  });

export const moveLitUp = moveLit('Move the layer up', 1);
export const moveLitDown = moveLit('Move the layer down', -1);

const lightNeighbour = (name: string, keys: string, by: 1 | -1) =>
  command({
    name,
    keys,
    looks: true,
    run({ history, session }) {
      const { layers } = history.project();
      const next = layers[layerIndex(history.project(), session.getState().lit) + by];
      if (next) session.light(next.id);
    },
  });

export const lightAbove = lightNeighbour('Light the lane above', 'Up', 1);
export const lightBelow = lightNeighbour('Light the lane below', 'Down', -1);

export const lightLayer = command<string>({
  name: 'Light the layer',
  looks: true,
  run: ({ session }, id) => session.light(id),
});

/** Opens or closes the rows of a layer's lane. */
export const toggleLane = command<string>({
  name: 'Open or close the lane',
  looks: true,
  run: ({ session }, id) =>
    session.setState(({ open }) => ({
      open: open.includes(id) ? open.filter((one) => one !== id) : [...open, id],
    })),
});

type Switch = 'muted' | 'solo' | 'locked';

/** Mutes, soloes or locks a layer, or lets go of that. A lock does not keep a layer from being switched. */
const toggle = (name: string, field: Switch) =>
  command<string>({
    name,
    run: (_, id, change) =>
      change((project) => setLayer(project, id, { [field]: !layerById(project, id)?.[field] })),
  });

export const toggleMute = toggle('Mute', 'muted');
export const toggleSolo = toggle('Solo', 'solo');
export const toggleLock = toggle('Lock', 'locked');

export const renameLayer = command<{ layer: string; name: string }>({
  name: 'Rename the layer',
  layer: itsLayer,
  run: (_, { layer, name }, change) => change((project) => setLayer(project, layer, { name })),
});

export const changeColor = command<{ layer: string; color: string }>({
  name: 'Change the colour',
  layer: itsLayer,
  refusal: (editor, { layer }) => notOfBase('has the character’s own')(editor, layer),
  run: (_, { layer, color }, change) => change((project) => setLayer(project, layer, { color })),
});

/** Lets a joint count as its part does. */
export const clearJointWeight = command<{ layer: string; joint: string }>({
  name: 'Let the joint count as its part does',
  layer: itsLayer,
  run: (_, { layer, joint }, change) =>
    change((project) => writeScalar(project, { kind: 'joint', layer, joint }, undefined)),
});

export const changeMode = command<{ layer: string; mode: Mode }>({
  name: 'Change the mode',
  layer: itsLayer,
  refusal: (editor, { layer }) => notOfBase('replaces the rest pose')(editor, layer),
  run: (_, { layer, mode }, change) => change((project) => setMode(project, layer, mode)),
});

export const changeAxes = command<{ layer: string; axes: Axes }>({
  name: 'Change the axes',
  layer: itsLayer,
  run: (_, { layer, axes }, change) => change((project) => setLayer(project, layer, { axes })),
});

export const changeReference = command<{ layer: string; reference: Reference }>({
  name: 'Change what the take is a change from',
  layer: itsLayer,
  run: (_, { layer, reference }, change) => change((project) => setReference(project, layer, reference)),
});

/** Changes parts of a span; none lets the layer act at every frame. */
export const changeSpan = command<{ layer: string; span: Span | undefined }>({
  name: 'Change the span',
  layer: itsLayer,
  run: (_, { layer, span }, change) =>
    change((project) => setSpan(project, layer, span && { ...layerById(project, layer)?.span, ...span })),
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

export const changeTime = command<{ layer: string; time: Partial<LayerTime> | undefined }>({
  name: 'Change when the content plays',
  layer: itsLayer,
  run: (_, { layer, time }, change) => change((project) => setTime(project, layer, time)),
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

export const beginWhereEnds = command<{ layer: string; after: string }>({
  name: 'Begin where another layer ends',
  layer: itsLayer,
  run: (_, { layer, after }, change) => change((project) => lineUp(project, layer, after)),
});
